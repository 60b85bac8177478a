// Orders from other threads, kept until whoever owns a bench carries them out between two acts.
#pragma once

#include <atomic>
#include <functional>
#include <future>
#include <mutex>
#include <string>
#include <vector>

#include "cogstride/bench/posted.hpp"

namespace cogstride {

class PostBox {
 public:
  struct Post {
    std::string what{};
    std::function<void()> deed{};
    std::promise<void> done{};
  };
  /// From any thread.
  [[nodiscard]] Posted put(std::string what, std::function<void()> deed);
  [[nodiscard]] bool is_empty() const { return count_.load(std::memory_order_acquire) == 0; }
  [[nodiscard]] std::vector<Post> take();
  /// Nothing is carried out any more: what waits is refused, and so is what still comes.
  void close();

 private:
  std::mutex mutex_;
  std::vector<Post> posts_;
  std::atomic<std::size_t> count_{0};
  bool is_closed_ = false;
};

}  // namespace cogstride
