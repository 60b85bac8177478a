#include "cogstride/report/output_file.hpp"

#include <fmt/format.h>

#include <cerrno>
#include <cstring>
#include <filesystem>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

OutputFile::OutputFile(std::string path)
    : path_(std::move(path)), part_path_(path_ + ".part"), file_(std::fopen(part_path_.c_str(), "wb")) {
  if (file_ == nullptr) fail("cannot be written");
}

OutputFile::~OutputFile() {
  if (file_ == nullptr) return;
  std::fclose(file_);
  std::remove(part_path_.c_str());
}

void OutputFile::fail(const char* what) const {
  throw Error(fmt::format("{}: {}: {}", path_, what, std::strerror(errno)));
}

void OutputFile::write(std::string_view text) {
  if (std::fwrite(text.data(), 1, text.size(), file_) != text.size()) fail("cannot be written");
}

void OutputFile::commit() {
  std::FILE* const file = file_;
  file_ = nullptr;
  if (std::fclose(file) != 0 || std::rename(part_path_.c_str(), path_.c_str()) != 0) {
    const int why = errno;
    std::remove(part_path_.c_str());
    errno = why;
    fail("cannot be written");
  }
}

void replace_file(const std::string& path, std::string_view text) {
  OutputFile file(std::filesystem::canonical(path).string());
  std::filesystem::permissions(file.part_path(), std::filesystem::status(path).permissions());
  file.write(text);
  file.commit();
}

}  // namespace cogstride
