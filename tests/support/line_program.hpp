// A program that is spoken to line by line: it answers with any number of lines, and one with a full stop.
#pragma once

#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdio>
#include <stdexcept>
#include <string>
#include <vector>

namespace cogstride::testing_support {

class LineProgram {
 public:
  explicit LineProgram(std::vector<std::string> words) {
    int in[2]{};
    int out[2]{};
    if (pipe2(in, O_CLOEXEC) != 0 || pipe2(out, O_CLOEXEC) != 0) throw std::runtime_error("no pipe");
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, in[0], 0);
    posix_spawn_file_actions_adddup2(&actions, out[1], 1);
    std::vector<char*> pointers;
    for (std::string& word : words) pointers.push_back(word.data());
    pointers.push_back(nullptr);
    if (posix_spawnp(&pid_, pointers.front(), &actions, nullptr, pointers.data(), environ) != 0)
      throw std::runtime_error(words.front() + " cannot be started");
    posix_spawn_file_actions_destroy(&actions);
    close(in[0]);
    close(out[1]);
    to_ = fdopen(in[1], "w");
    from_ = fdopen(out[0], "r");
  }
  ~LineProgram() {
    std::fclose(to_);
    std::fclose(from_);
    waitpid(pid_, nullptr, 0);
  }
  LineProgram(const LineProgram&) = delete;
  LineProgram& operator=(const LineProgram&) = delete;

  /// @throws std::runtime_error when it has ended
  std::vector<std::string> ask(const std::string& line) {
    std::fputs((line + "\n").c_str(), to_);
    std::fflush(to_);
    std::vector<std::string> answers;
    char text[256];
    while (std::fgets(text, sizeof text, from_) != nullptr) {
      std::string answer(text);
      answer.pop_back();
      if (answer == ".") return answers;
      answers.push_back(std::move(answer));
    }
    throw std::runtime_error("it has ended by itself");
  }

 private:
  pid_t pid_ = 0;
  FILE* to_ = nullptr;
  FILE* from_ = nullptr;
};

}  // namespace cogstride::testing_support
