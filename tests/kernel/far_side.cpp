// The far side of the kernel bench: a mechanism that counts the edges on STEP and DIR as the kernel tells
// them, and moves a gate's line by its place, through the simulated chip alone.
//
//   far_side STEP DIR AT TRACE PULL
//
// STEP and DIR are the kernel's numbers of the lines, AT is the place, in steps from where it stands at
// first, at and below which the gate is blocked; TRACE is a pipe of gpio_value events, PULL the file that
// moves the gate's line.
#include <fcntl.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <cstring>

namespace {

void block(const char* pull, bool blocked) {
  const int fd = open(pull, O_WRONLY);
  if (fd < 0) {
    std::perror(pull);
    std::exit(1);
  }
  const char* const word = blocked ? "pull-up" : "pull-down";
  if (write(fd, word, std::strlen(word)) < 0) std::perror(pull);
  close(fd);
}

}  // namespace

int main(int count, char** words) {
  if (count != 6) {
    std::fputs("far_side STEP DIR AT TRACE PULL\n", stderr);
    return 2;
  }
  const long step = std::atol(words[1]);
  const long dir = std::atol(words[2]);
  const long blocked_at = std::atol(words[3]);
  std::FILE* const events = std::fopen(words[4], "r");
  if (events == nullptr) {
    std::perror(words[4]);
    return 1;
  }
  const char* const pull = words[5];
  long place = 0;
  bool forwards = false;
  bool blocked = false;
  char line[256];
  while (std::fgets(line, sizeof line, events) != nullptr) {
    const char* const found = std::strstr(line, "gpio_value: ");
    long number = 0;
    int value = 0;
    if (found == nullptr || std::sscanf(found, "gpio_value: %ld set %d", &number, &value) != 2) continue;
    if (number == dir) forwards = value != 0;
    if (number != step || value == 0) continue;
    place += forwards ? 1 : -1;
    if (blocked != (place <= blocked_at)) {
      blocked = !blocked;
      block(pull, blocked);
    }
  }
  return 0;
}
