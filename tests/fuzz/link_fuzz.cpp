// Both readers of a link. The first byte says which end listens; then come pieces, each with a byte before
// it: its length, 0x80 for bytes as they are, else a sound frame of them, 0x40 with the next number. Whatever
// comes: a chip is at rest when nobody speaks any more, and a computer's time goes on and ends.
#include <algorithm>
#include <array>
#include <cstdint>
#include <cstdlib>
#include <deque>
#include <span>
#include <vector>

#include "cogstride/bench/live/link_lines.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/host_chip.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);

namespace {

using namespace cogstride;
using testing_support::HostChip;

struct Bytes {
  std::vector<std::uint8_t> all{};
  void put(std::uint8_t byte) { all.push_back(byte); }
};

std::vector<std::uint8_t> framed(std::span<const std::uint8_t> content) {
  Bytes bytes;
  chip::FrameWriter<Bytes> writer(bytes);
  writer.begin();
  for (const std::uint8_t each : content) writer.byte(each);
  writer.end();
  return bytes.all;
}

class Pieces {
 public:
  explicit Pieces(std::span<const std::uint8_t> data) : data_(data) {}
  [[nodiscard]] bool is_over() const { return data_.empty(); }
  std::vector<std::uint8_t> next() {
    constexpr std::size_t most = 0x3f;
    const std::uint8_t how = data_.front();
    data_ = data_.subspan(1);
    const std::size_t size = std::min<std::size_t>(data_.size(), how & most);
    std::vector<std::uint8_t> piece(data_.begin(), data_.begin() + static_cast<std::ptrdiff_t>(size));
    data_ = data_.subspan(size);
    if ((how & 0x80) != 0) return piece;
    if ((how & 0x40) != 0 && piece.size() > 1) piece[1] = number_++;
    return framed(piece);
  }

 private:
  std::span<const std::uint8_t> data_;
  std::uint8_t number_ = 0;
};

void chip_listens(Pieces pieces) {
  HostChip chip;
  const auto hear = [&](const std::vector<std::uint8_t>& bytes) {
    for (const std::uint8_t byte : bytes) chip.hear(byte);
    chip.run_to(HostChip::now() + 16'000);
    (void)chip.take_said();
  };
  hear(framed(std::array<std::uint8_t, 12>{LinkOrder::greet, 0, 0, chip::link_version, 0xcd, 0xab, 0x34, 0x12,
                                           77, 0, 100, 0}));
  while (!pieces.is_over()) hear(pieces.next());
  // Silence: 100 ms, and the longest ramp; one who was greeted to bear more of it is cut.
  hear(framed(std::array<std::uint8_t, 4>{LinkOrder::cut, 0, 0, 201}));
  hear(framed(std::array<std::uint8_t, 4>{LinkOrder::cut, 0, 0, 202}));
  chip.run_to(HostChip::now() + 160'000);
  if (chip.is_playing(0) || chip.is_playing(1)) std::abort();
  if (chip.rested() == 0) std::abort();
}

/// A chip that greets as it should, and then says anything.
class AnyChip final : public ByteStream {
 public:
  AnyChip(Pieces pieces, std::uint32_t mark) : pieces_(pieces), mark_(mark) {}
  [[nodiscard]] std::int64_t now_ns() const override { return now_; }
  std::size_t write(std::span<const std::uint8_t> bytes) override {
    for (const std::uint8_t byte : bytes)
      if (reader_.take(byte)) answer({reader_.bytes(), reader_.size()});
    return bytes.size();
  }
  std::size_t read(std::span<std::uint8_t> bytes) override {
    if (said_.empty() && pieces_.is_over() && is_greeted_) throw Error("it is gone");
    std::size_t count = 0;
    for (; count < bytes.size() && !said_.empty(); ++count) {
      bytes[count] = said_.front();
      said_.pop_front();
    }
    return count;
  }
  void wait_until(std::int64_t ns) override {
    now_ += std::clamp<std::int64_t>(ns - now_, 1'000, 1'000'000);
    if (asked_ > 8 && !pieces_.is_over()) say(pieces_.next());
  }
  void wake() noexcept override {}

 private:
  void say(const std::vector<std::uint8_t>& bytes) { said_.insert(said_.end(), bytes.begin(), bytes.end()); }
  void answer(std::span<const std::uint8_t> frame) {
    const auto tick = static_cast<std::uint32_t>(now_ / 125 * 2);
    const std::array<std::uint8_t, 4> at{
        static_cast<std::uint8_t>(tick), static_cast<std::uint8_t>(tick >> 8),
        static_cast<std::uint8_t>(tick >> 16), static_cast<std::uint8_t>(tick >> 24)};
    if (frame[0] == LinkOrder::greet && frame.size() >= 10) {
      std::vector<std::uint8_t> hail{LinkReading::hail, 0, 0, chip::link_version};
      for (const int shift : {0, 8, 16, 24}) hail.push_back(static_cast<std::uint8_t>(mark_ >> shift));
      hail.insert(hail.end(), {frame[8], frame[9]});
      hail.insert(hail.end(), at.begin(), at.end());
      hail.insert(hail.end(), {2, 26});
      say(framed(hail));
      is_greeted_ = true;
    }
    if (frame[0] == LinkOrder::ask && frame.size() >= 4) {
      ++asked_;
      std::vector<std::uint8_t> told{LinkReading::told, 0, 0, frame[3]};
      told.insert(told.end(), at.begin(), at.end());
      told.insert(told.end(), {0, 31, 31});
      say(framed(told));
    }
  }

  Pieces pieces_;
  std::uint32_t mark_;
  chip::FrameReader<64> reader_{};
  std::deque<std::uint8_t> said_{};
  std::int64_t now_ = 1'000'000'000;
  int asked_ = 0;
  bool is_greeted_ = false;
};

void computer_listens(Pieces pieces) {
  static const Rig rig = [] {
    Rig linked = read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml");
    linked.controller.link.emplace();
    return linked;
  }();
  LinkLines::Setup setup;
  setup.map = link_map(rig);
  setup.ticks_per_second = 16e6;
  setup.bytes_per_second = 25e3;
  setup.slack = 128'000;
  setup.lead = 600'000;
  setup.horizon = 4'800'000;
  setup.reads = 160'000;
  setup.analogue_channels = 6;
  const LineId step = line_of_link(9);
  const LineId gate = line_of_link(26);
  setup.lines = {
      {.id = step, .name = "carriage.step", .use = LineSetup::Use::pulses, .pulse_width = 64},
      {.id = line_of_link(8), .name = "carriage.enable", .use = LineSetup::Use::level, .rest_high = true},
      {.id = gate, .name = "carriage.gate", .use = LineSetup::Use::input, .source = SourceId{7}}};
  AnyChip chip(pieces, setup.map.mark);
  try {
    LinkLines lines(setup, chip);
    lines.on_edge([](Tick, LineId, bool) {});
    lines.sample(SourceId{7}, lines.now() + 160'000, 160'000);
    std::vector<Reading> readings;
    Tick ends = lines.now() + lines.lead();
    for (int turn = 0; turn < 400 && !lines.has_trouble(); ++turn) {
      const Tick before = lines.now();
      if (ends < before + lines.lead() + lines.horizon()) {
        const std::array<chip::PulseRun, 1> run{{{48'000ULL << 16, 0, 0, 10, 0, 0}}};
        ends = std::max(ends, before + lines.lead());
        lines.put({ends, 0}, step, run, std::nullopt);
        ends += 480'000;
      }
      if (turn % 50 == 49) {
        const Tick from = before + lines.lead();
        (void)lines.withdraw(MechanismId{0}, from);
        ends = std::max(from, before + lines.lead() + 480'000);
      }
      if (lines.wait_until(before + 80'000, readings) < before) std::abort();
      for (const Reading& reading : readings)
        if (reading.at > lines.now()) std::abort();
      readings.clear();
    }
    lines.cut();
    (void)lines.take_trouble();
    lines.end();
  } catch (const Error&) {
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size == 0) return 0;
  const Pieces pieces({data + 1, size - 1});
  if ((data[0] & 1) == 0)
    chip_listens(pieces);
  else
    computer_listens(pieces);
  return 0;
}
