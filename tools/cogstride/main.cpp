#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <exception>

#include "cogstride/report/reports.hpp"
#include "commands.hpp"

namespace {

/// A standard descriptor that was closed at the start must not become a file's or a line's: something stands
/// in for it, opened so that using it fails as it would have failed.
void hold_standard_descriptors() {
  for (const int fd : {STDIN_FILENO, STDOUT_FILENO, STDERR_FILENO})
    if (fcntl(fd, F_GETFD) < 0 && errno == EBADF)
      (void)open("/dev/null", fd == STDIN_FILENO ? O_WRONLY : O_RDONLY);  // the lowest one that is free
}

/// What was printed must have arrived: a report on a full disk is none.
int with_output_checked(int status) {
  errno = 0;
  const bool was_wrong = std::ferror(stdout) != 0;
  if (std::fflush(stdout) == 0 && !was_wrong) return status;
  std::fprintf(stderr, "standard output cannot be written%s%s\n", errno != 0 ? ": " : "",
               errno != 0 ? std::strerror(errno) : "");
  return status == ExitStatus::done ? ExitStatus::something_is_wrong : status;
}

}  // namespace

int main(int count, char** words) {
  hold_standard_descriptors();
  const bool as_json = std::any_of(words, words + count, [](const char* word) {
    return word != nullptr && std::strcmp(word, "--json") == 0;
  });
  const auto refuse = [&](const std::exception& error, const std::vector<cogstride::Diagnostic>& places) {
    if (as_json) std::fputs(cogstride::error_json(error.what(), places).c_str(), stdout);
    const bool is_told = std::fflush(stdout) == 0 && std::ferror(stdout) == 0;
    std::fprintf(stderr, "%s%s\n", is_told ? "" : "standard output cannot be written: ", error.what());
    return is_told ? ExitStatus::call_or_file_is_wrong : ExitStatus::something_is_wrong;
  };
  try {
    return with_output_checked(run_command_line(count, words));
  } catch (const cogstride::InputError& error) {
    return refuse(error, error.diagnostics());
  } catch (const std::exception& error) {
    return refuse(error, {});
  }
}
