#include "cogstride/bench/live/black_box.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fstream>

#include "cogstride/port/descriptor.hpp"

namespace cogstride {
namespace {

constexpr std::size_t head_size = 4096;
constexpr std::size_t chunk_size = 65'536;
constexpr std::size_t chunk_head = 24;  // number, bytes used, tick
constexpr std::size_t longest_text = 400;
constexpr std::size_t most_readings = 1000;  // in one event: 20 bytes each
constexpr std::size_t longest_event = 32'768;
constexpr unsigned has_sum = 0x80;  // beside a kind
constexpr const char* const first_line = "cogstride black box 1\n";

template <class Number>
void store(std::uint8_t* at, Number number) {
  std::memcpy(at, &number, sizeof number);
}

}  // namespace

class BlackBoxWriter::Mapped {
 public:
  Mapped(const std::string& path, std::size_t size)
      : fd_(above_standard(open(path.c_str(), O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC, 0644))), size_(size) {
    const auto fail = [&] { throw Error(fmt::format("{}: cannot be made: {}", path, std::strerror(errno))); };
    if (fd_.get() < 0 || ftruncate(fd_.get(), static_cast<off_t>(size)) != 0) fail();
    void* const mapped = mmap(nullptr, size, PROT_READ | PROT_WRITE, MAP_SHARED, fd_.get(), 0);
    if (mapped == MAP_FAILED) fail();
    bytes_ = static_cast<std::uint8_t*>(mapped);
  }
  ~Mapped() { munmap(bytes_, size_); }
  Mapped(const Mapped&) = delete;
  Mapped& operator=(const Mapped&) = delete;
  [[nodiscard]] std::uint8_t* bytes() { return bytes_; }
  [[nodiscard]] std::size_t chunks() const { return (size_ - head_size) / chunk_size; }

 private:
  Descriptor fd_;
  std::size_t size_;
  std::uint8_t* bytes_ = nullptr;
};

BlackBoxWriter::BlackBoxWriter(const std::string& path, const BoxLabels& labels, std::int64_t size) {
  constexpr std::int64_t least = 256 << 10;
  if (size < least) throw RangeError(fmt::format("a black box of {} bytes: {} are the least", size, least));
  std::string head = first_line;
  for (const auto& [key, value] : labels) {
    std::string line = value;
    std::replace(line.begin(), line.end(), '\n', ' ');
    head += key + " " + line + "\n";
  }
  if (head.size() >= head_size) throw RangeError("a black box with more labels than fit its first page");
  file_ = std::make_unique<Mapped>(path, static_cast<std::size_t>(size));
  std::memcpy(file_->bytes(), head.data(), head.size());
  begin(0);
}

BlackBoxWriter::~BlackBoxWriter() = default;

void BlackBoxWriter::begin(Tick now) {
  chunk_ = file_->bytes() + head_size + chunks_begun_ % file_->chunks() * chunk_size;
  used_ = chunk_head;
  last_ = now;
  store(chunk_, std::uint64_t{0});  // while it is neither the old one nor the new one
  store(chunk_ + 8, static_cast<std::uint64_t>(used_));
  store(chunk_ + 16, now);
  store(chunk_, ++chunks_begun_);
}

void BlackBoxWriter::put(std::uint8_t byte) {
  chunk_[used_++] = byte;
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
  std::memcpy(chunk_ + used_, text.data(), size);
  used_ += size;
}

void BlackBoxWriter::open_event(BoxEvent::Kind kind, Tick now, std::optional<std::uint32_t> sum,
                                std::size_t most) {
  if (used_ + most > chunk_size) begin(last_);
  put(static_cast<std::uint8_t>(static_cast<unsigned>(kind) | (sum ? has_sum : 0U)));
  put_signed(now - last_);
  if (sum) put_whole(*sum);
  last_ = now;
}

/// Only now it counts: one that is half written when the program ends is not there.
void BlackBoxWriter::close_event() {
  store(chunk_ + 8, static_cast<std::uint64_t>(used_));
}

void BlackBoxWriter::add(BoxEvent::Kind kind, Tick now, std::optional<std::uint32_t> sum,
                         std::span<const Reading> readings) {
  // More readings than fit one event: more events of the same instant.
  do {
    const std::size_t count = std::min(readings.size(), most_readings);
    open_event(kind, now, sum, count == 0 ? 64 : longest_event);
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
  open_event(event.kind, event.now, event.sum, 2 * longest_text);
  switch (event.kind) {
    case Kind::withdrawn:
      put_signed(event.left.steps);
      put_signed(event.left.last_pulse - event.now);
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
  const auto used = number_at<std::uint64_t>(bytes_, 8);
  if (used < chunk_head || used > static_cast<std::uint64_t>(file_.gcount()))
    throw Error(path_ + ": is damaged");
  end_ = static_cast<std::size_t>(used);
  last_ = number_at<Tick>(bytes_, 16);
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
  while (at_ >= end_) {
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
    if (more && at_ >= end_ && !open_chunk()) throw Error(path_ + ": is damaged");
  }
  has_next_ = true;
}

}  // namespace cogstride
