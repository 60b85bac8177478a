// Runs a fuzz target over the files of a folder: what CI does with the corpus, without a fuzzer.
//
//   fuzz_corpus TARGET FOLDER...
#include <cstdio>
#include <filesystem>
#include <string>

#include "cogstride/rig/diagnostic.hpp"

namespace {

struct Target {
  const char* name;
  int (*takes)(const unsigned char*, std::size_t);
};

}  // namespace

#include "fuzz_targets.inc"

int main(int count, char** words) {
  int files = 0;
  for (const Target& target : targets) {
    if (count < 2 || std::string(target.name) != words[1]) continue;
    for (int i = 2; i < count; ++i)
      for (const auto& entry : std::filesystem::directory_iterator(words[i])) {
        const std::string bytes = cogstride::read_text_file(entry.path().string());
        target.takes(reinterpret_cast<const unsigned char*>(bytes.data()), bytes.size());
        ++files;
      }
  }
  std::printf("%d inputs\n", files);
  return files > 0 ? 0 : 1;
}
