// Runs a fuzz target over the files of a folder: what CI does with the corpus, without a fuzzer.
#include <cstdio>
#include <filesystem>

#include "cogstride/rig/diagnostic.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* bytes, std::size_t size);

int main(int count, char** words) {
  int files = 0;
  for (int i = 1; i < count; ++i) {
    for (const auto& entry : std::filesystem::directory_iterator(words[i])) {
      const std::string bytes = cogstride::read_text_file(entry.path().string());
      LLVMFuzzerTestOneInput(reinterpret_cast<const unsigned char*>(bytes.data()), bytes.size());
      ++files;
    }
  }
  std::printf("%d inputs\n", files);
  return files > 0 ? 0 : 1;
}
