#include <cstdio>
#include <exception>

#include "commands.hpp"

int main(int count, char** words) {
  try {
    return run_command_line(count, words);
  } catch (const std::exception& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return Status::call_or_file_is_wrong;
  }
}
