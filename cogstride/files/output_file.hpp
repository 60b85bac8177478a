// A file that appears whole or not at all: written beside its name, brought to the disk, and put in place at
// the end. All files that Cog Stride writes are written here.
//
//   OutputFile file("first.csv");
//   file.write("t_s,position_mm\n");
//   file.commit();                       // now it is there, also after a power cut
//
// Only regular files are replaced: a device, a pipe or a folder of that name is refused. One that is replaced
// keeps its owner and its permissions; behind a link the file that it leads to is replaced, and the link
// stays.
#pragma once

#include <string>
#include <string_view>

namespace cogstride {

class OutputFile {
 public:
  /// What becomes of a file that has the name already.
  enum class Existing : bool { refused, replaced };

  /// @throws Error when the file cannot be made, or what has its name may not be replaced
  explicit OutputFile(const std::string& path, Existing existing = Existing::replaced);
  /// Without commit(), nothing stays.
  ~OutputFile();
  OutputFile(const OutputFile&) = delete;
  OutputFile& operator=(const OutputFile&) = delete;

  /// @throws Error when the disk will not take it
  void write(std::string_view text);
  /// Brings it to the disk and puts it in place. @throws Error when that fails; what was there is there still
  void commit();
  /// Where it is being written, for another program that writes into it before commit().
  [[nodiscard]] const std::string& part_path() const { return part_path_; }

 private:
  [[noreturn]] void fail(const char* what) const;
  void flush();
  void take_over_owner_and_mode() const;

  std::string path_;    // as it was named
  std::string target_;  // behind links
  std::string part_path_{};
  std::string unwritten_{};
  bool replaces_ = false;
  Existing existing_;
  int fd_ = -1;
};

/// A file that is read, changed and replaced, while others that do the same wait.
///
///   ChangedFile rig("bobbin.rig.toml");
///   rig.replace(changed(rig.text()));
class ChangedFile {
 public:
  /// Waits for another writer, ten seconds at the most. @throws Error when it is not there, or no regular
  /// file, or another one holds it for longer
  explicit ChangedFile(const std::string& path);
  ~ChangedFile();
  ChangedFile(const ChangedFile&) = delete;
  ChangedFile& operator=(const ChangedFile&) = delete;

  [[nodiscard]] const std::string& text() const { return text_; }
  /// @throws Error as OutputFile; the file is then as it was
  void replace(std::string_view text);

 private:
  std::string path_;
  std::string text_{};
  int fd_ = -1;
};

/// Whether both names lead to one file that is there.
[[nodiscard]] bool is_one_file(const std::string& a, const std::string& b);

}  // namespace cogstride
