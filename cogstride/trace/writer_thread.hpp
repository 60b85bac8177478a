// A thread that writes for one whose time is dear: at usual priority, whatever its maker runs at, and with a
// small stack, since all of it is fetched at once where memory is locked.
#pragma once

#include <pthread.h>

#include <functional>
#include <memory>
#include <system_error>

namespace cogstride {

class WriterThread {
 public:
  WriterThread() = default;
  /// It must have been joined or detached.
  ~WriterThread() = default;
  WriterThread(const WriterThread&) = delete;
  WriterThread& operator=(const WriterThread&) = delete;

  /// @throws std::system_error when the system has no thread left
  void start(std::function<void()> run) {
    auto given = std::make_unique<std::function<void()>>(std::move(run));
    pthread_attr_t attributes;
    pthread_attr_init(&attributes);
    pthread_attr_setstacksize(&attributes, stack_size);
    const int failed = pthread_create(&thread_, &attributes, &WriterThread::main, given.get());
    pthread_attr_destroy(&attributes);
    if (failed != 0) throw std::system_error(failed, std::generic_category(), "a thread that writes");
    (void)given.release();
    is_joinable_ = true;
  }
  [[nodiscard]] bool is_joinable() const { return is_joinable_; }
  void join() {
    if (is_joinable_) pthread_join(thread_, nullptr);
    is_joinable_ = false;
  }
  void detach() {
    if (is_joinable_) pthread_detach(thread_);
    is_joinable_ = false;
  }

 private:
  static constexpr std::size_t stack_size = 256U << 10U;

  static void* main(void* given) {
    const std::unique_ptr<std::function<void()>> run(static_cast<std::function<void()>*>(given));
    const sched_param usual{};
    (void)pthread_setschedparam(pthread_self(), SCHED_OTHER, &usual);
    (*run)();
    return nullptr;
  }

  pthread_t thread_{};
  bool is_joinable_ = false;
};

}  // namespace cogstride
