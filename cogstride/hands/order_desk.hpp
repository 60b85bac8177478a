// Takes lines from ways in, hands them to an operation, and its answers back: each line is answered once.
//
// A way in may be read in a thread of its own. Beside orders, a line may ask to be shown how everything is:
// `watch every 100 ms`, `watch off`, `show traverse`.
#pragma once

#include <atomic>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/hands/order_line.hpp"
#include "cogstride/session/operation.hpp"

namespace cogstride {

class OrderDesk {
 public:
  /// Lines that may wait for the bench, of one way in; more are refused.
  static constexpr int most_waiting = 10'000;

  /// Both must outlive it.
  OrderDesk(Bench& bench, Operation& operation) : bench_(bench), operation_(operation) {}

  class Way;
  /// @param name  "socket 1": who orders
  /// @param say  told of answers, in lines without their ends, from the bench's thread or the one that reads;
  /// it does not wait
  /// @param json  answers as JSON, whatever form orders have
  [[nodiscard]] std::shared_ptr<Way> open(std::string name, std::function<void(std::string)> say, bool json);
  /// What `press f` does: given the key and who pressed it, from the bench's thread. @throws Error when it is
  /// bound to nothing
  void on_press(std::function<void(char key, const std::string& by)> press) { press_ = std::move(press); }
  /// What `renew token` does; its answer. Told of in words. @throws Error
  void on_renewal(std::function<std::string()> renew) { renew_ = std::move(renew); }
  /// A line that came in. From any thread.
  void line(const std::shared_ptr<Way>& way, const std::string& text);
  /// It is gone: nothing is said to it any more, and what it holds comes to rest. From any thread.
  void close(const std::shared_ptr<Way>& way);
  /// One that was posted in a run that is played again.
  void play_again(const std::string& posted);
  /// To all ways in: a fault that nobody ordered. From the bench's thread.
  void tell_fault(const std::string& why);

 private:
  void carry_out(const std::shared_ptr<Way>& way, const OrderLine& read);
  void watch(const std::shared_ptr<Way>& way, const OrderLine& read);
  void press(const std::shared_ptr<Way>& way, const OrderLine& read);
  void hear(const std::shared_ptr<Way>& way, const OrderLine& read);
  void show(const std::shared_ptr<Way>& way, const OrderLine& read);
  void answer(const std::shared_ptr<Way>& way, const OrderLine& read, const Operation::Answer& answer);

  Bench& bench_;
  Operation& operation_;
  std::function<void(char, const std::string&)> press_{};
  std::function<std::string()> renew_{};
  std::mutex mutex_;  // of the ways in
  std::vector<std::weak_ptr<Way>> ways_{};
};

class OrderDesk::Way {
 public:
  [[nodiscard]] const std::string& name() const { return name_; }
  /// Lines of it that have not been answered.
  [[nodiscard]] int waiting() const { return waiting_.load(std::memory_order_relaxed); }

 private:
  friend class OrderDesk;
  std::string name_{};
  std::function<void(std::string)> say_{};
  bool json_ = false;
  std::atomic<int> waiting_{0};
  std::atomic<bool> is_open_{true};
};

/// Bytes that come in as they come, in lines.
class LineSplitter {
 public:
  /// @param line  told of each, without its end; of one that is longer than any order can be, its begin
  void take(std::string_view bytes, const std::function<void(const std::string&)>& line);
  /// What stands behind the last end of a line, once nothing comes any more.
  void finish(const std::function<void(const std::string&)>& line);

 private:
  std::string text_{};
};

}  // namespace cogstride
