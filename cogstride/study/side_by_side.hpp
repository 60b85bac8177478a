// Many independent runs on all cores that there are.
#pragma once

#include <algorithm>
#include <atomic>
#include <future>
#include <thread>
#include <vector>

namespace cogstride {

/// Calls `work(i)` once for each i below `count`, in any order; returns when all are done.
/// @throws what a call threw, after all have ended
template <class Work>
void side_by_side(std::size_t count, const Work& work) {
  std::atomic<std::size_t> next{0};
  const auto take = [&] {
    for (std::size_t i = next++; i < count; i = next++) work(i);
  };
  const std::size_t cores = std::max(1u, std::thread::hardware_concurrency());
  std::vector<std::future<void>> workers;
  for (std::size_t i = 1; i < std::min(cores, count); ++i)
    workers.push_back(std::async(std::launch::async, take));
  take();
  for (std::future<void>& worker : workers) worker.get();
}

}  // namespace cogstride
