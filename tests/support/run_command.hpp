// The command run as a user runs it.
#pragma once

#include <sys/wait.h>

#include <cstdio>
#include <string>

namespace cogstride::testing_support {

struct Ran {
  int status = -1;
  std::string out;  // both streams
};

inline Ran run(const std::string& command) {
  Ran ran;
  std::FILE* const pipe = popen((command + " 2>&1").c_str(), "r");
  char buffer[4096];
  while (const std::size_t n = std::fread(buffer, 1, sizeof buffer, pipe)) ran.out.append(buffer, n);
  const int status = pclose(pipe);
  ran.status = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  return ran;
}

inline Ran cogstride_command(const std::string& words) {
  return run(std::string(COGSTRIDE_TOOL " ") + words);
}

}  // namespace cogstride::testing_support
