// Runs a command at a terminal of its own that nobody reads, where somebody types Ctrl-S after a second.
//
//   typed_terminal COMMAND [ARGUMENTS]      ends with the command's status, 128 + signal where one ended it
#include <fcntl.h>
#include <signal.h>
#include <stdlib.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdio>

namespace {
pid_t child = 0;
void hand_on(int signal) {
  kill(child, signal);
}
}  // namespace

int main(int count, char** words) {
  if (count < 2) return 2;
  const int keyboard = posix_openpt(O_RDWR | O_NOCTTY);
  if (keyboard < 0 || grantpt(keyboard) != 0 || unlockpt(keyboard) != 0) return std::perror("terminal"), 2;
  const char* const name = ptsname(keyboard);
  child = fork();
  if (child == 0) {
    setsid();
    const int screen = open(name, O_RDWR);
    ioctl(screen, TIOCSCTTY, 0);
    for (int standard = 0; standard < 3; ++standard) dup2(screen, standard);
    close(screen);
    close(keyboard);
    execvp(words[1], words + 1);
    _exit(127);
  }
  signal(SIGTERM, hand_on);
  sleep(1);
  const char stop_output = 0x13;
  if (write(keyboard, &stop_output, 1) != 1) return 2;
  int status = 0;
  while (waitpid(child, &status, 0) < 0) {
  }
  return WIFSIGNALED(status) ? 128 + WTERMSIG(status) : WEXITSTATUS(status);
}
