// The far side of an encoder: turns a wheel, by two lines of a simulated GPIO chip or by the count of a
// counter.
//
//   far_wheel RECORD QUARTER:US[,QUARTER:US...] PULL_A PULL_B
//   far_wheel RECORD QUARTER:US[,QUARTER:US...] COUNT, a folder with `count` and `ceiling`
//
// Each leg is so many quarters of a line, forwards or backwards, each so many microseconds after the one
// before; 0:US is a pause. RECORD has each as "seconds count", before it can be seen.
#include <fcntl.h>
#include <sched.h>
#include <time.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <string>
#include <vector>

namespace {

void put(int file, const char* text) {
  if (pwrite(file, text, std::strlen(text), 0) < 0) std::perror("far_wheel");
}

}  // namespace

int main(int count, char** words) {
  if (count < 4) return 2;
  std::FILE* const record = std::fopen(words[1], "w");
  const bool is_counter = count == 4;
  const int first = open(is_counter ? (std::string(words[3]) + "/count").c_str() : words[3], O_WRONLY);
  const int second = is_counter ? -1 : open(words[4], O_WRONLY);
  if (record == nullptr || first < 0 || (!is_counter && second < 0)) {
    std::perror(words[3]);
    return 1;
  }
  unsigned long long ceiling = 0;
  if (is_counter) std::ifstream(std::string(words[3]) + "/ceiling") >> ceiling;
  // A chip of the simulation is one lock: whoever has it must not be kept from giving it back.
  sched_param first_of_all{};
  first_of_all.sched_priority = 95;
  if (sched_setscheduler(0, SCHED_FIFO, &first_of_all) != 0) std::perror("far_wheel: real-time priority");
  timespec at{};
  clock_gettime(CLOCK_MONOTONIC, &at);
  const auto wait = [&at](long us) {
    at.tv_nsec += 1000 * us;
    at.tv_sec += at.tv_nsec / 1'000'000'000;
    at.tv_nsec %= 1'000'000'000;
    clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &at, nullptr);
  };
  struct Turned {
    timespec at;
    long place;
  };
  std::vector<Turned> turned;
  turned.reserve(100'000);
  long place = 0;
  bool a = false;
  bool b = false;
  for (char* leg = std::strtok(words[2], ","); leg != nullptr; leg = std::strtok(nullptr, ",")) {
    char* rest = nullptr;
    const long quarters = std::strtol(leg, &rest, 10);
    const long us = std::strtol(rest + 1, nullptr, 10);
    if (quarters == 0) wait(us);
    for (long i = 0; i < std::labs(quarters); ++i) {
      wait(us);
      place += quarters > 0 ? 1 : -1;
      timespec now{};
      clock_gettime(CLOCK_MONOTONIC, &now);
      turned.push_back({now, place});
      if (is_counter) {
        // It begins at 0: what turns backwards is at its other end at once. All ones is one less than a power
        // of two.
        put(first, std::to_string(static_cast<unsigned long long>(place) & ceiling).c_str());
        continue;
      }
      const long quarter = ((place % 4) + 4) % 4;
      const bool a_now = quarter == 1 || quarter == 2;
      const bool b_now = quarter == 2 || quarter == 3;
      if (a_now != a) put(first, a_now ? "pull-up" : "pull-down");
      if (b_now != b) put(second, b_now ? "pull-up" : "pull-down");
      a = a_now;
      b = b_now;
    }
  }
  first_of_all.sched_priority = 0;
  (void)sched_setscheduler(0, SCHED_OTHER, &first_of_all);
  for (const Turned& each : turned)
    std::fprintf(record, "%ld.%06ld %ld\n", static_cast<long>(each.at.tv_sec), each.at.tv_nsec / 1000,
                 each.place);
  std::fclose(record);
  return 0;
}
