#include "cogstride/board/bus/drive_setup.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <utility>

#include "cogstride/board/bus/drive_profile.hpp"

namespace cogstride {
namespace {

constexpr int most_surplus = 2;
constexpr std::int64_t rounds_by_at_most = 100;  // a hundredth of a value

/// Index and part that a frame of object access is about.
std::uint32_t object_key(const Frame& frame) {
  return frame.bytes[1] << 16 | frame.bytes[2] << 8 | frame.bytes[3];
}

}  // namespace

DriveSetup::DriveSetup(DriveWants wants, Times times)
    : wants_(std::move(wants)), times_(times), access_(wants_.id, times.patience) {}

void DriveSetup::fail(std::string why) {
  if (fault_.empty()) fault_ = std::move(why);
  stage_ = Stage::failed;
  access_.clear();
  control_.reset();
}

void DriveSetup::go_to(Stage stage, Tick now) {
  stage_ = stage;
  switch (stage) {
    case Stage::looks:
      control_ = node_control(NodeCommand::prepare, wants_.id);
      access_.read(objects::device_type);
      access_.read(objects::vendor);
      access_.read(objects::product);
      break;
    case Stage::restores:
      access_.write(objects::restore_all, objects::load_signature);
      break;
    case Stage::begins:
      control_ = node_control(NodeCommand::reset, wants_.id);
      waits_until_ = now + times_.beginning;
      break;
    case Stage::sets:
      for (const auto& [object, value] : wants_.settings) {
        access_.write(object, value);
        access_.read(object);
      }
      for (const ProcessData& data : wants_.data)
        for (const auto& [object, value] : settings_of(data, wants_.id)) access_.write(object, value);
      break;
    case Stage::starts:
      control_ = node_control(NodeCommand::start, wants_.id);
      break;
    case Stage::confirms:
      for (const ObjectValue& setting : wants_.settings) access_.read(setting.first);
      break;
    default:
      break;
  }
}

std::optional<Frame> DriveSetup::send(Tick now) {
  if (has_ended()) return std::nullopt;
  if (surplus_ >= most_surplus) {
    fail(fmt::format("two drives answer with the id {}: leave one on the bus, and give it another one",
                     wants_.id));
    return std::nullopt;
  }
  if (!has_begun_) {
    has_begun_ = true;
    go_to(Stage::looks, now);
  }
  if (control_) return std::exchange(control_, std::nullopt);
  if (stage_ == Stage::begins) {
    if (now >= waits_until_) fail(fmt::format("drive {} does not come back after it was reset", wants_.id));
    return std::nullopt;
  }
  for (;;) {
    if (const std::optional<Frame> frame = access_.send(now)) {
      if (stage_ == Stage::looks) ++awaited_[object_key(*frame)];
      return frame;
    }
    bool took = false;
    while (const std::optional<ObjectAccess::Result> result = access_.take()) {
      took = true;
      take(*result, now);
      if (stage_ == Stage::failed) return std::nullopt;
    }
    if (!access_.is_idle()) {
      if (took) continue;
      return std::nullopt;
    }
    if (stage_ == Stage::confirms) {
      stage_ = Stage::up;
      return std::nullopt;
    }
    go_to(static_cast<Stage>(static_cast<int>(stage_) + 1), now);
    if (control_) return std::exchange(control_, std::nullopt);
  }
}

Tick DriveSetup::next() const {
  if (has_ended()) return never;
  if (!has_begun_ || control_) return 0;
  if (stage_ == Stage::begins) return waits_until_;
  return access_.is_idle() ? 0 : access_.next();
}

void DriveSetup::hear(const Frame& frame, Tick now) {
  if (has_ended() || !has_begun_) return;
  if (stage_ == Stage::begins) {
    const std::optional<NodeHeartbeat> beat = heartbeat_of(frame);
    if (beat && beat->id == wants_.id && beat->state == NodeState::boot && !control_) go_to(Stage::sets, now);
    return;
  }
  count_answer(frame);
  access_.hear(frame);
}

/// An answer may come twice now and then; where each question that was put once has two, two answer.
void DriveSetup::count_answer(const Frame& frame) {
  if (frame.id != access_answer_id(wants_.id)) return;
  const auto own = awaited_.find(object_key(frame));
  if (own != awaited_.end() && --own->second < 0) ++surplus_;
}

void DriveSetup::identify(const ObjectAccess::Result& result) {
  const auto require = [&](const char* what, std::optional<std::int64_t> wanted) {
    if (wanted && *wanted != result.value)
      fail(fmt::format("drive {} is not the one that the rig means: {} is {}, and the rig says {}", wants_.id,
                       what, result.value, *wanted));
  };
  if (result.object.index == objects::device_type.index) {
    const auto profile = static_cast<std::uint16_t>(result.value & 0xffff);
    if (profile != objects::drive_profile_number)
      fail(
          fmt::format("what answers as {} is no drive of this profile: its device type is of profile {}, a "
                      "drive's of {}",
                      wants_.id, profile, objects::drive_profile_number));
  } else if (result.object.sub == objects::vendor.sub) {
    require("its vendor", wants_.vendor);
  } else {
    require("its product", wants_.product);
  }
}

/// Whether a value is one that may be rounded: an amount, not a choice.
bool DriveSetup::counts(const ObjectValue& setting) const {
  return size_of(setting.first.type) > 1 && std::abs(setting.second) >= rounds_by_at_most;
}

std::vector<ObjectValue>::const_iterator DriveSetup::wanted_of(const BusObject& object) const {
  return std::find_if(wants_.settings.begin(), wants_.settings.end(), [&](const ObjectValue& each) {
    return each.first.index == object.index && each.first.sub == object.sub;
  });
}

void DriveSetup::compare(const ObjectAccess::Result& result) {
  const auto wanted = wanted_of(result.object);
  if (wanted == wants_.settings.end() || wanted->second == result.value) return;
  const std::string what = fmt::format("drive {} was told {} = {}, and has {}", wants_.id,
                                       to_text(result.object), wanted->second, result.value);
  const bool is_close = counts(*wanted) && std::abs(wanted->second - result.value) <=
                                               std::abs(wanted->second) / rounds_by_at_most;
  if (!is_close) return fail(stage_ == Stage::confirms ? what + " in force" : what);
  if (stage_ == Stage::sets) rounded_.push_back(what);
}

void DriveSetup::take(const ObjectAccess::Result& result, Tick) {
  using Kind = ObjectAccess::Result::Kind;
  // A value that it refuses is asked for all the same: both are told.
  const bool is_setting = wanted_of(result.object) != wants_.settings.end();
  if (stage_ == Stage::sets && is_setting && result.kind == Kind::refused && refused_.empty()) {
    refused_ = fmt::format("{}; it was told {}", result.words(wants_.id), result.value);
    return;
  }
  if (!refused_.empty())
    return fail(result.kind == Kind::read ? fmt::format("{}, and has {}", refused_, result.value) : refused_);
  // Not every drive tells a product; whoever wants one does.
  const bool may_lack = stage_ == Stage::looks && result.kind == Kind::refused &&
                        result.object.index == objects::vendor.index &&
                        !(result.object.sub == objects::vendor.sub ? wants_.vendor : wants_.product);
  if (may_lack) return;
  if (result.kind != Kind::read && result.kind != Kind::written) return fail(result.words(wants_.id));
  if (stage_ == Stage::looks) return identify(result);
  if (result.kind == Kind::read) compare(result);
}

}  // namespace cogstride
