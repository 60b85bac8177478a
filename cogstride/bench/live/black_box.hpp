// What a live run was told, in a file that is there whatever becomes of the program: the instants at which
// planning acted, what was read, posted and withdrawn, and what went wrong. With it the same planner can be
// run again to the same commands (recorded_lines.hpp).
//
// A thread of its own writes it: whoever plans never waits for a disk. The file grows to a given size; then
// the oldest part is written over, and the run can be shown but not played again.
//
//   a page of text       what it is of, "key value" a line
//   chunks of 64 kB      number from 1 on, tick at its begin; then events up to a byte of 0, each a byte for
//   its
//                        kind and whole numbers of 7 bits a byte, ticks as what has passed since the event
//                        before
#pragma once

#include <atomic>
#include <boost/lockfree/spsc_queue.hpp>
#include <cstdint>
#include <fstream>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "cogstride/bench/live/played_lines.hpp"
#include "cogstride/port/descriptor.hpp"
#include "cogstride/quantity/error.hpp"
#include "cogstride/trace/writer_thread.hpp"

namespace cogstride {

/// What it is of: "rig", "rig_mark", "script", "script_mark", "began", "lead", and so on.
using BoxLabels = std::map<std::string, std::string>;

struct BoxEvent {
  enum class Kind : std::uint8_t {
    caught_up = 1,  ///< planning has looked at the clock
    waited,         ///< time has been let pass, and this was read
    withdrawn,      ///< the answer to a withdrawal
    troubled,       ///< there is something wrong
    trouble,        ///< and it is this
    guardian,       ///< what became of the guardian
    posted,         ///< an order from another thread, in words
    stop_requested,
    stood_still  ///< time has, for so long by now
  };
  Kind kind = Kind::caught_up;
  Tick now = 0;                        ///< when it was
  std::optional<std::uint32_t> sum{};  ///< of what was put since the event before, where something was
  std::vector<Reading> readings{};     ///< waited
  Withdrawn left{};
  PlayedLines::Trouble trouble{};
  std::uint32_t number = 0;  ///< guardian: its state
  Tick ticks = 0;            ///< stood_still
  std::string words{};       ///< posted
};

/// Writes it, a few milliseconds after it was told. Its calls neither wait nor fetch memory.
class BlackBoxWriter {
 public:
  static constexpr std::int64_t usual_size = 64 << 20;

  /// @param size  bytes, 256 kB or more. A file of that name is replaced. @throws Error when it cannot be
  /// made
  BlackBoxWriter(const std::string& path, const BoxLabels& labels, std::int64_t size = usual_size);
  ~BlackBoxWriter() { end(); }
  BlackBoxWriter(const BlackBoxWriter&) = delete;
  BlackBoxWriter& operator=(const BlackBoxWriter&) = delete;

  void add(const BoxEvent& event);
  /// The same of one that has readings at the most, without a copy of them.
  void add(BoxEvent::Kind kind, Tick now, std::optional<std::uint32_t> sum,
           std::span<const Reading> readings = {});

  /// Waits until what was told is written; from then on it keeps nothing.
  void end();
  /// Why it was given up: from then on it keeps nothing. Empty: it was not.
  [[nodiscard]] std::string failure() const;

 private:
  void begin_chunk();
  void put(std::uint8_t byte) { event_.push_back(byte); }
  void put_whole(std::uint64_t value);
  void put_signed(std::int64_t value);
  void put_text(const std::string& text);
  void open_event(BoxEvent::Kind kind, Tick now, std::optional<std::uint32_t> sum);
  void close_event();
  void hand_over(std::span<const std::uint8_t> bytes);
  void run();
  bool write_what_is_there();

  // Of whoever plans.
  std::vector<std::uint8_t> event_{};
  std::uint64_t chunks_begun_ = 0;
  std::size_t used_ = 0;  // of the chunk
  Tick last_ = 0;
  Tick first_delta_ = 0;  // of the event that is being put together

  boost::lockfree::spsc_queue<std::uint8_t> bytes_;
  std::atomic<bool> ends_{false};
  std::atomic<bool> was_too_slow_{false};
  std::atomic<int> error_{0};

  // Of the thread that writes.
  Descriptor file_;
  std::uint64_t room_;         // bytes of chunks
  std::uint64_t written_ = 0;  // in all, of chunks
  std::vector<std::uint8_t> block_{};
  WriterThread thread_{};
};

/// Reads it, event by event.
class BlackBox {
 public:
  /// @throws Error when there is none, or it is not one
  explicit BlackBox(const std::string& path);

  [[nodiscard]] const BoxLabels& labels() const { return labels_; }
  /// Whether it still has the begin of its run.
  [[nodiscard]] bool is_whole() const { return first_ == 0; }
  /// The tick of the first event that it has.
  [[nodiscard]] Tick begins_at() const { return begins_at_; }
  /// The next one; null at its end.
  [[nodiscard]] const BoxEvent* peek();
  void take() { has_next_ = false; }

 private:
  void read_next();
  [[nodiscard]] std::uint64_t whole();
  [[nodiscard]] std::int64_t signed_whole();
  [[nodiscard]] std::string text();
  [[nodiscard]] bool open_chunk();

  std::string path_;
  std::ifstream file_;
  std::string bytes_;  // of the chunk that is being read
  BoxLabels labels_{};
  std::vector<std::size_t> chunks_{};  // where they begin in the file, in their order
  std::uint64_t first_ = 0;            // number of the first
  std::size_t next_chunk_ = 0;
  std::size_t at_ = 0;
  std::size_t end_ = 0;
  Tick begins_at_ = 0;
  Tick last_ = 0;
  bool has_next_ = false;
  bool has_ended_ = false;
  BoxEvent next_{};
};

}  // namespace cogstride
