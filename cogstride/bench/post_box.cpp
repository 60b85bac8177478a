#include "cogstride/bench/post_box.hpp"

#include <exception>
#include <utility>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {
std::exception_ptr closed() {
  return std::make_exception_ptr(RangeError("the bench is closed: nothing that is posted is carried out"));
}
}  // namespace

std::future<void> PostBox::put(std::string what, std::function<void()> deed) {
  Post post{std::move(what), std::move(deed), {}};
  std::future<void> done = post.done.get_future();
  const std::lock_guard lock(mutex_);
  if (is_closed_) {
    post.done.set_exception(closed());
    return done;
  }
  posts_.push_back(std::move(post));
  count_.store(posts_.size(), std::memory_order_release);
  return done;
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
