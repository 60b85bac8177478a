// A folder for files that nobody keeps, gone with it.
#pragma once

#include <filesystem>
#include <string>

namespace cogstride {

class ScratchFolder {
 public:
  /// @throws Error when the system has no place for it
  ScratchFolder();
  ~ScratchFolder();
  ScratchFolder(const ScratchFolder&) = delete;
  ScratchFolder& operator=(const ScratchFolder&) = delete;

  [[nodiscard]] std::string file(const std::string& name) const { return (path_ / name).string(); }

 private:
  std::filesystem::path path_{};
};

}  // namespace cogstride
