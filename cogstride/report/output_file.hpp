// A file that appears whole or not at all: written beside its name and put in place at the end.
#pragma once

#include <cstdio>
#include <string>
#include <string_view>

namespace cogstride {

class OutputFile {
 public:
  /// @throws Error when the file cannot be made.
  explicit OutputFile(std::string path);
  /// Without commit(), nothing stays.
  ~OutputFile();
  OutputFile(const OutputFile&) = delete;
  OutputFile& operator=(const OutputFile&) = delete;

  /// @throws Error when the disk will not take it.
  void write(std::string_view text);
  /// Puts the file in place. @throws Error when that fails.
  void commit();
  /// Where it is being written.
  [[nodiscard]] const std::string& part_path() const { return part_path_; }

 private:
  [[noreturn]] void fail(const char* what) const;

  std::string path_;
  std::string part_path_;
  std::FILE* file_;
};

/// Other text for a file that is there, in one step; it keeps its permissions, and through a link the file
/// that it stands for is changed. @throws Error when that fails; the file is then as it was
void replace_file(const std::string& path, std::string_view text);

}  // namespace cogstride
