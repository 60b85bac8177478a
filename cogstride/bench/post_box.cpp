#include "cogstride/bench/post_box.hpp"

#include <chrono>
#include <exception>
#include <utility>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {
std::exception_ptr closed() {
  return std::make_exception_ptr(RangeError("the bench is closed: nothing that is posted is carried out"));
}
}  // namespace

struct Posted::State {
  std::shared_future<void> done;
};

bool Posted::is_done() const {
  return state_->done.wait_for(std::chrono::seconds(0)) == std::future_status::ready;
}

void Posted::wait() const {
  state_->done.get();
}

bool Posted::wait_for(Time most) const {
  if (state_->done.wait_for(std::chrono::duration<double>(most.base())) != std::future_status::ready)
    return false;
  wait();
  return true;
}

Posted PostBox::put(std::string what, std::function<void()> deed) {
  Post post{std::move(what), std::move(deed), {}};
  Posted posted(std::make_shared<Posted::State>(Posted::State{post.done.get_future().share()}));
  const std::lock_guard lock(mutex_);
  if (is_closed_) {
    post.done.set_exception(closed());
    return posted;
  }
  posts_.push_back(std::move(post));
  count_.store(posts_.size(), std::memory_order_release);
  return posted;
}

std::vector<PostBox::Post> PostBox::take() {
  const std::lock_guard lock(mutex_);
  count_.store(0, std::memory_order_release);
  return std::exchange(posts_, {});
}

void PostBox::close() {
  std::vector<Post> left;
  {
    const std::lock_guard lock(mutex_);
    is_closed_ = true;
    left = std::exchange(posts_, {});
    count_.store(0, std::memory_order_release);
  }
  for (Post& post : left) post.done.set_exception(closed());
}

}  // namespace cogstride
