#include "cogstride/bench/live/black_box.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <fstream>
#include <thread>
#include <utility>

namespace cogstride {
namespace {

constexpr std::size_t head_size = 4096;
constexpr std::size_t chunk_size = 65'536;
constexpr std::size_t chunk_head = 16;  // number, tick
constexpr std::size_t longest_text = 16'384;
constexpr std::size_t most_readings = 1000;  // in one event: 29 bytes each at the most
constexpr std::size_t longest_event = 32'768;
constexpr std::size_t room_of_queue = 1U << 20U;  // bytes that may wait
constexpr auto between_writes = std::chrono::milliseconds(10);
constexpr unsigned has_sum = 0x80;  // beside a kind
constexpr const char* const first_line = "cogstride black box 2\n";

}  // namespace

BlackBoxWriter::BlackBoxWriter(const std::string& path, const BoxLabels& labels, std::int64_t size)
    : bytes_(room_of_queue) {
  constexpr std::int64_t least = 256 << 10;
  if (size < least) throw RangeError(fmt::format("a black box of {} bytes: {} are the least", size, least));
  room_ = (static_cast<std::uint64_t>(size) - head_size) / chunk_size * chunk_size;
  std::string head = first_line;
  for (const auto& [key, value] : labels) {
    std::string line = value;
    std::replace(line.begin(), line.end(), '\n', ' ');
    head += key + " " + line + "\n";
  }
  if (head.size() >= head_size) throw RangeError("a black box with more labels than fit its first page");
  head.resize(head_size, '\0');
  file_ = Descriptor(above_standard(open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644)));
  if (file_.get() < 0 || pwrite(file_.get(), head.data(), head.size(), 0) != static_cast<ssize_t>(head_size))
    throw Error(fmt::format("{}: cannot be written: {}", path, std::strerror(errno)));
  event_.reserve(longest_event);
  block_.reserve(chunk_size + 1);
  begin_chunk();
  thread_.start([this] { run(); });
}

void BlackBoxWriter::end() {
  ends_.store(true, std::memory_order_release);
  thread_.join();
}

std::string BlackBoxWriter::failure() const {
  if (was_too_slow_.load()) return "its file was too slow";
  const int error = error_.load();
  return error == 0 ? std::string() : std::strerror(error);
}

void BlackBoxWriter::hand_over(std::span<const std::uint8_t> bytes) {
  if (ends_.load(std::memory_order_relaxed) || was_too_slow_.load(std::memory_order_relaxed)) return;
  if (bytes_.write_available() < bytes.size()) {
    was_too_slow_.store(true);  // one that lacks events in its middle could not be played again
    return;
  }
  bytes_.push(bytes.data(), bytes.size());
}

void BlackBoxWriter::begin_chunk() {
  std::array<std::uint8_t, chunk_head> head{};
  const std::uint64_t number = ++chunks_begun_;
  std::memcpy(head.data(), &number, sizeof number);
  std::memcpy(head.data() + sizeof number, &last_, sizeof last_);
  hand_over(head);
  used_ = head.size();
}

void BlackBoxWriter::run() {
  while (!ends_.load(std::memory_order_acquire)) {
    while (write_what_is_there()) {
    }
    std::this_thread::sleep_for(between_writes);
  }
  while (write_what_is_there()) {
  }
}

/// A piece of it, up to the end of a chunk, and a byte of 0 behind it. @return whether there was one
bool BlackBoxWriter::write_what_is_there() {
  const std::size_t left = chunk_size - static_cast<std::size_t>(written_ % chunk_size);
  block_.resize(left);
  const std::size_t size = bytes_.pop(block_.data(), left);
  if (size == 0) return false;
  block_.resize(size);
  if (size < left) block_.push_back(0);
  const auto at = static_cast<off_t>(head_size + written_ % room_);
  written_ += size;
  if (error_.load() != 0) return true;
  if (pwrite(file_.get(), block_.data(), block_.size(), at) != static_cast<ssize_t>(block_.size()))
    error_.store(errno == 0 ? ENOSPC : errno);
  return true;
}

void BlackBoxWriter::put_whole(std::uint64_t value) {
  for (; value > 0x7f; value >>= 7) put(static_cast<std::uint8_t>(value | 0x80U));
  put(static_cast<std::uint8_t>(value));
}

void BlackBoxWriter::put_signed(std::int64_t value) {
  put_whole((static_cast<std::uint64_t>(value) << 1) ^ static_cast<std::uint64_t>(value >> 63));
}

void BlackBoxWriter::put_text(const std::string& text) {
  const std::size_t size = std::min(text.size(), longest_text);
  put_whole(size);
  event_.insert(event_.end(), text.begin(), text.begin() + static_cast<std::ptrdiff_t>(size));
}

void BlackBoxWriter::open_event(BoxEvent::Kind kind, Tick now, std::optional<std::uint32_t> sum) {
  event_.clear();
  put(static_cast<std::uint8_t>(static_cast<unsigned>(kind) | (sum ? has_sum : 0U)));
  put_signed(now - last_);
  if (sum) put_whole(*sum);
  first_delta_ = now - last_;
  last_ = now;
}

void BlackBoxWriter::close_event() {
  if (used_ + event_.size() > chunk_size) {
    const Tick now = std::exchange(last_, last_ - first_delta_);
    static constexpr std::array<std::uint8_t, 1024> nothing{};
    for (std::size_t left = chunk_size - used_; left > 0;) {
      const std::size_t piece = std::min(left, nothing.size());
      hand_over(std::span(nothing).first(piece));
      left -= piece;
    }
    begin_chunk();
    last_ = now;
  }
  hand_over(event_);
  used_ += event_.size();
}

void BlackBoxWriter::add(BoxEvent::Kind kind, Tick now, std::optional<std::uint32_t> sum,
                         std::span<const Reading> readings) {
  // More readings than fit one event: more events of the same instant.
  do {
    const std::size_t count = std::min(readings.size(), most_readings);
    open_event(kind, now, sum);
    sum.reset();
    if (kind == BoxEvent::Kind::waited) {
      put_whole(2 * count + (count < readings.size() ? 1 : 0));
      for (const Reading& reading : readings.first(count)) {
        put_signed(reading.at - now);
        put_whole(static_cast<std::uint64_t>(reading.source));
        put_signed(reading.raw);
        put_whole(reading.id);
        put(reading.size);
      }
    }
    close_event();
    readings = readings.subspan(count);
  } while (!readings.empty());
}

void BlackBoxWriter::add(const BoxEvent& event) {
  using Kind = BoxEvent::Kind;
  if (event.kind == Kind::waited || event.kind == Kind::caught_up) {
    add(event.kind, event.now, event.sum, event.readings);
    return;
  }
  open_event(event.kind, event.now, event.sum);
  switch (event.kind) {
    case Kind::withdrawn:
      put_signed(event.left.steps);
      put_signed(event.left.last_pulse - event.now);
      put(event.left.brakes ? 1 : 0);
      break;
    case Kind::trouble:
      put_whole(static_cast<std::uint64_t>(event.trouble.late));
      put_whole(static_cast<std::uint64_t>(event.trouble.line));
      put(static_cast<std::uint8_t>(event.trouble.cut_by));
      put_text(event.trouble.gone);
      break;
    case Kind::guardian:
      put_whole(event.number);
      break;
    case Kind::posted:
      put_text(event.words);
      break;
    case Kind::stood_still:
      put_whole(static_cast<std::uint64_t>(event.ticks));
      break;
    case Kind::caught_up:
    case Kind::waited:
    case Kind::troubled:
    case Kind::stop_requested:
      break;
  }
  close_event();
}

namespace {
template <class Number>
Number number_at(const std::string& bytes, std::size_t at) {
  Number number{};
  std::memcpy(&number, bytes.data() + at, sizeof number);
  return number;
}
}  // namespace

BlackBox::BlackBox(const std::string& path) : path_(path), file_(path, std::ios::binary) {
  if (!file_) throw Error(path + ": cannot be read");
  std::string head(head_size, '\0');
  file_.read(head.data(), static_cast<std::streamsize>(head_size));
  if (static_cast<std::size_t>(file_.gcount()) < head_size || !head.starts_with(first_line))
    throw Error(path + ": is no black box of a run (`cogstride drive` writes one)");
  std::size_t line = std::strlen(first_line);
  for (std::size_t end = head.find('\n', line); end < head_size; end = head.find('\n', line)) {
    const std::string label = head.substr(line, end - line);
    const std::size_t blank = std::min(label.find(' '), label.size());
    labels_[label.substr(0, blank)] = blank < label.size() ? label.substr(blank + 1) : std::string();
    line = end + 1;
  }
  std::vector<std::pair<std::uint64_t, std::size_t>> found;
  std::string number(sizeof(std::uint64_t), '\0');
  for (std::size_t at = head_size;; at += chunk_size) {
    file_.seekg(static_cast<std::streamoff>(at));
    if (!file_.read(number.data(), static_cast<std::streamsize>(number.size()))) break;
    if (const auto own = number_at<std::uint64_t>(number, 0); own != 0) found.emplace_back(own, at);
  }
  std::sort(found.begin(), found.end());
  for (const auto& [own, at] : found) chunks_.push_back(at);
  if (found.empty()) return;
  first_ = found.front().first - 1;
  if (open_chunk()) begins_at_ = last_;
}

bool BlackBox::open_chunk() {
  if (next_chunk_ == chunks_.size()) return false;
  file_.clear();
  file_.seekg(static_cast<std::streamoff>(chunks_[next_chunk_++]));
  bytes_.assign(chunk_size, '\0');
  file_.read(bytes_.data(), static_cast<std::streamsize>(chunk_size));
  at_ = chunk_head;
  end_ = static_cast<std::size_t>(file_.gcount());
  if (end_ < chunk_head) throw Error(path_ + ": is damaged");
  last_ = number_at<Tick>(bytes_, sizeof(std::uint64_t));
  return true;
}

std::uint64_t BlackBox::whole() {
  std::uint64_t value = 0;
  for (unsigned shift = 0; shift < 64; shift += 7) {
    if (at_ >= end_) throw Error(path_ + ": is damaged");
    const auto byte = static_cast<std::uint8_t>(bytes_[at_++]);
    value |= std::uint64_t{byte & 0x7fU} << shift;
    if ((byte & 0x80U) == 0) break;
  }
  return value;
}

std::int64_t BlackBox::signed_whole() {
  const std::uint64_t value = whole();
  return static_cast<std::int64_t>(value >> 1) ^ -static_cast<std::int64_t>(value & 1);
}

std::string BlackBox::text() {
  const std::uint64_t size = whole();
  if (size > end_ - at_) throw Error(path_ + ": is damaged");
  const std::size_t begin = at_;
  at_ += static_cast<std::size_t>(size);
  return bytes_.substr(begin, static_cast<std::size_t>(size));
}

const BoxEvent* BlackBox::peek() {
  if (!has_next_ && !has_ended_) read_next();
  return has_ended_ ? nullptr : &next_;
}

void BlackBox::read_next() {
  while (at_ >= end_ || bytes_[at_] == 0) {
    if (open_chunk()) continue;
    has_ended_ = true;
    return;
  }
  using Kind = BoxEvent::Kind;
  next_.readings.clear();
  next_.sum.reset();
  for (bool more = true; more;) {
    const auto kind = static_cast<std::uint8_t>(bytes_[at_++]);
    next_.kind = static_cast<Kind>(kind & ~has_sum);
    next_.now = last_ = last_ + signed_whole();
    if ((kind & has_sum) != 0) next_.sum = static_cast<std::uint32_t>(whole());
    more = false;
    switch (next_.kind) {
      case Kind::waited: {
        const std::uint64_t count = whole();
        more = (count & 1) != 0;
        for (std::uint64_t i = 0; i < count / 2; ++i) {
          Reading reading{};
          reading.at = next_.now + signed_whole();
          reading.source = static_cast<SourceId>(whole());
          reading.raw = signed_whole();
          reading.id = static_cast<std::uint32_t>(whole());
          reading.size = static_cast<std::uint8_t>(whole());
          next_.readings.push_back(reading);
        }
        break;
      }
      case Kind::withdrawn:
        next_.left.steps = signed_whole();
        next_.left.last_pulse = next_.now + signed_whole();
        next_.left.brakes = whole() != 0;
        break;
      case Kind::trouble:
        next_.trouble.late = static_cast<Tick>(whole());
        next_.trouble.line = static_cast<LineId>(whole());
        next_.trouble.cut_by = static_cast<CutBy>(whole());
        next_.trouble.gone = text();
        break;
      case Kind::guardian:
        next_.number = static_cast<std::uint32_t>(whole());
        break;
      case Kind::posted:
        next_.words = text();
        break;
      case Kind::stood_still:
        next_.ticks = static_cast<Tick>(whole());
        break;
      case Kind::caught_up:
      case Kind::troubled:
      case Kind::stop_requested:
        break;
      default:
        throw Error(path_ + ": is damaged");
    }
    if (more && (at_ >= end_ || bytes_[at_] == 0) && !open_chunk()) throw Error(path_ + ": is damaged");
  }
  has_next_ = true;
}

}  // namespace cogstride
