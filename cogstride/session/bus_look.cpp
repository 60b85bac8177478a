#include "cogstride/session/bus_look.hpp"

#include <fmt/format.h>
#include <poll.h>

#include <algorithm>

#include "cogstride/board/bus/drive_profile.hpp"
#include "cogstride/board/bus/id_change.hpp"
#include "cogstride/port/bell.hpp"
#include "cogstride/port/can_socket.hpp"

namespace cogstride {
namespace {

// A tick is a microsecond here.
constexpr Tick answers_within = 100'000;
constexpr Tick each_question = 1000;
constexpr Tick begins_again_within = 5'000'000;
constexpr BusId looked_at{0};

class Bus {
 public:
  explicit Bus(const Rig& rig) : socket_(looked_at, interface_of(rig), {}) {}
  /// Until it has ended.
  template <class Talk>
  void have(Talk& talk) {
    std::vector<PortFrame> came_in;
    pollfd waits{socket_.descriptor(), POLLIN, 0};
    while (!talk.has_ended()) {
      while (const std::optional<Frame> frame = talk.send(monotonic_ns() / 1000)) socket_.send(*frame);
      (void)poll(&waits, 1, 1);
      came_in.clear();
      socket_.take(came_in);
      for (const PortFrame& each : came_in) talk.hear(each.frame);
    }
  }
  std::vector<IdScan::Found> look() {
    IdScan scan(answers_within, each_question);
    have(scan);
    return scan.found();
  }

 private:
  static std::string interface_of(const Rig& rig) {
    if (!rig.controller.bus) throw RangeError("the rig has no bus (controller.bus)");
    return rig.controller.bus->interface_name;
  }
  CanSocket socket_;
};

/// Asks one object of one device.
class Question {
 public:
  Question(int id, const BusObject& object) : access_(id, answers_within) { access_.read(object); }
  [[nodiscard]] bool has_ended() const { return access_.is_idle(); }
  std::optional<Frame> send(Tick now) { return access_.send(now); }
  void hear(const Frame& frame) { access_.hear(frame); }
  std::optional<ObjectAccess::Result> answer() { return access_.take(); }

 private:
  ObjectAccess access_;
};

std::string number_text(const std::optional<std::int64_t>& number) {
  return number ? std::to_string(*number) : "unknown";
}

}  // namespace

std::vector<IdScan::Found> look_at_bus(const Rig& rig) {
  return Bus(rig).look();
}

std::vector<std::string> wrong_on_bus(const Rig& rig, const std::vector<IdScan::Found>& found) {
  std::vector<std::string> wrong;
  for (const Mechanism& each : rig.mechanisms) {
    const auto* const wiring = std::get_if<BusWiring>(&each.wiring);
    const auto* const board = std::get_if<BusDrive>(&each.board);
    if (wiring == nullptr || board == nullptr) continue;
    const auto its = std::find_if(found.begin(), found.end(),
                                  [&](const IdScan::Found& one) { return one.id == wiring->id; });
    if (its == found.end()) {
      wrong.push_back(fmt::format("{}: nobody has its id {}", each.name, wiring->id));
      continue;
    }
    if (its->is_twice)
      wrong.push_back(fmt::format("{}: two have its id {}: leave one on the bus, and give it another one",
                                  each.name, wiring->id));
    if (!its->is_drive())
      wrong.push_back(
          fmt::format("{}: what has its id {} is no drive of the profile", each.name, wiring->id));
    const auto hold = [&](const char* what, const std::optional<std::int64_t>& wanted,
                          const std::optional<std::int64_t>& is) {
      if (wanted && wanted != is)
        wrong.push_back(fmt::format("{}: the {} of {} is {}, and the rig says {}", each.name, what,
                                    wiring->id, number_text(is), *wanted));
    };
    hold("vendor", board->vendor, its->vendor);
    hold("product", board->product, its->product);
  }
  return wrong;
}

void change_only_id(const Rig& rig, int id) {
  Bus bus(rig);
  const std::vector<IdScan::Found> found = bus.look();
  if (found.empty()) throw Error("nobody is on the bus: look at its wires, its terminators and its bit rate");
  if (found.size() > 1 || found.front().is_twice) {
    std::string ids;
    for (const IdScan::Found& each : found) ids += fmt::format(" {}", each.id);
    throw Error(
        fmt::format("an id is given to a drive that is alone on the bus, and these are on it:{}{}; "
                    "unplug all but one",
                    ids, found.size() == 1 ? " (twice)" : ""));
  }
  const int from = found.front().id;
  if (from == id) throw Error(fmt::format("what is on the bus has the id {} already", id));
  Question question(from, objects::status_word);
  bus.have(question);
  const std::optional<ObjectAccess::Result> status = question.answer();
  if (status && status->kind == ObjectAccess::Result::Kind::read &&
      state_of(static_cast<std::uint16_t>(status->value)) == DriveState::enabled)
    throw Error(fmt::format("{} is driven just now: end what drives it", from));
  IdChange change(from, id, {answers_within * 5, begins_again_within});
  bus.have(change);
  if (!change.fault().empty()) throw Error(change.fault());
}

}  // namespace cogstride
