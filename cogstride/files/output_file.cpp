#include "cogstride/files/output_file.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <linux/fs.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <chrono>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <thread>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t block = 1U << 16U;
constexpr auto patience = std::chrono::seconds(10);
constexpr auto between_tries = std::chrono::milliseconds(10);

std::string folder_of(const std::string& path) {
  const fs::path folder = fs::path(path).parent_path();
  return folder.empty() ? "." : folder.string();
}

const char* kind_of(mode_t mode) {
  if (S_ISDIR(mode)) return "a folder";
  if (S_ISCHR(mode) || S_ISBLK(mode)) return "a device";
  if (S_ISFIFO(mode)) return "a pipe";
  return "a socket";
}

/// The file behind all links; one that is not there yet keeps the name that the last link has for it.
std::string behind_links(const std::string& path) {
  fs::path at = path;
  std::error_code error;
  for (int links = 0; links < 40 && fs::is_symlink(at, error); ++links) {
    const fs::path to = fs::read_symlink(at, error);
    at = to.is_absolute() ? to : at.parent_path() / to;
  }
  return at.string();
}

/// Written whole, through interruptions. @return whether the kernel took it
bool write_all(int fd, std::string_view text) {
  while (!text.empty()) {
    const ssize_t taken = ::write(fd, text.data(), text.size());
    if (taken < 0 && errno == EINTR) continue;
    if (taken < 0) return false;
    text.remove_prefix(static_cast<std::size_t>(taken));
  }
  return true;
}

/// @return whether the file has its name now
bool put_in_place(const std::string& part, const std::string& target, OutputFile::Existing existing) {
  if (existing == OutputFile::Existing::replaced) return rename(part.c_str(), target.c_str()) == 0;
  if (syscall(SYS_renameat2, AT_FDCWD, part.c_str(), AT_FDCWD, target.c_str(), RENAME_NOREPLACE) == 0)
    return true;
  if (errno != EINVAL && errno != ENOSYS) return false;
  // A file system that cannot do it in one step: a second name is refused where there is one, too.
  if (link(part.c_str(), target.c_str()) != 0) return false;
  unlink(part.c_str());
  return true;
}

}  // namespace

OutputFile::OutputFile(const std::string& path, Existing existing)
    : path_(path), target_(behind_links(path)), existing_(existing) {
  struct stat there {};
  replaces_ = stat(target_.c_str(), &there) == 0;
  if (replaces_ && !S_ISREG(there.st_mode))
    throw Error(fmt::format("{}: is {}; name a file", path_, kind_of(there.st_mode)));
  if (replaces_ && existing == Existing::refused)
    throw Error(fmt::format("{}: is there already and is left as it is", path_));
  static std::atomic<unsigned> number{0};
  do {
    part_path_ = fmt::format("{}/.cogstride-{}-{}.part", folder_of(target_), getpid(), number++);
    fd_ = open(part_path_.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC,
               replaces_ ? 0600 : 0666);
  } while (fd_ < 0 && errno == EEXIST);
  if (fd_ < 0) fail("cannot be written");
  unwritten_.reserve(block);
}

OutputFile::~OutputFile() {
  if (fd_ < 0) return;
  close(fd_);
  unlink(part_path_.c_str());
}

void OutputFile::fail(const char* what) const {
  throw Error(fmt::format("{}: {}: {}", path_, what, std::strerror(errno)));
}

void OutputFile::flush() {
  if (!write_all(fd_, unwritten_)) fail("cannot be written");
  unwritten_.clear();
}

void OutputFile::write(std::string_view text) {
  if (unwritten_.size() + text.size() > block) flush();
  if (text.size() > block) {
    if (!write_all(fd_, text)) fail("cannot be written");
  } else {
    unwritten_ += text;
  }
}

void OutputFile::take_over_owner_and_mode() const {
  struct stat there {};
  if (stat(target_.c_str(), &there) != 0) return;  // somebody has taken it away
  struct stat own {};
  if (fstat(fd_, &own) != 0) fail("cannot be written");
  if ((own.st_uid != there.st_uid || own.st_gid != there.st_gid) &&
      fchown(fd_, there.st_uid, there.st_gid) != 0)
    fail("cannot be replaced: it would not belong to whom it belongs");
  if (fchmod(fd_, there.st_mode & 07777U) != 0) fail("cannot be replaced with the permissions that it has");
}

void OutputFile::commit() {
  flush();
  if (replaces_) take_over_owner_and_mode();
  if (fsync(fd_) != 0) fail("cannot be brought to the disk");
  if (!put_in_place(part_path_, target_, existing_)) fail("cannot be put in place");
  close(std::exchange(fd_, -1));
  const int folder = open(folder_of(target_).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
  if (folder < 0) return;  // one that may be written to and not read
  const bool is_safe = fsync(folder) == 0 || errno == EINVAL;
  const int why = errno;
  close(folder);
  errno = why;
  if (!is_safe) fail("was written, but may not outlast a power cut");
}

ChangedFile::ChangedFile(const std::string& path) : path_(path) {
  const auto until = std::chrono::steady_clock::now() + patience;
  for (;;) {
    fd_ = open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
    struct stat own {};
    if (fd_ < 0 || fstat(fd_, &own) != 0)
      throw Error(fmt::format("{}: cannot be opened: {}", path, std::strerror(errno)));
    if (!S_ISREG(own.st_mode)) {
      close(std::exchange(fd_, -1));
      throw Error(fmt::format("{}: is {}; name a file", path, kind_of(own.st_mode)));
    }
    // Whoever held it may have put another file in its place meanwhile: then the lock is on the old one.
    struct stat named {};
    if (flock(fd_, LOCK_EX | LOCK_NB) == 0 && stat(path.c_str(), &named) == 0 && named.st_ino == own.st_ino &&
        named.st_dev == own.st_dev)
      break;
    close(std::exchange(fd_, -1));
    if (std::chrono::steady_clock::now() > until)
      throw Error(fmt::format("{}: another program has been writing it for ten seconds", path));
    std::this_thread::sleep_for(between_tries);
  }
  char read_block[4096];
  for (;;) {
    const ssize_t got = read(fd_, read_block, sizeof read_block);
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) {
      const int why = errno;
      close(std::exchange(fd_, -1));
      throw Error(fmt::format("{}: cannot be read: {}", path, std::strerror(why)));
    }
    if (got == 0) break;
    text_.append(read_block, static_cast<std::size_t>(got));
  }
}

ChangedFile::~ChangedFile() {
  if (fd_ >= 0) close(fd_);
}

void ChangedFile::replace(std::string_view text) {
  OutputFile file(path_);
  file.write(text);
  file.commit();
}

bool is_one_file(const std::string& a, const std::string& b) {
  struct stat one {};
  struct stat other {};
  return stat(a.c_str(), &one) == 0 && stat(b.c_str(), &other) == 0 && one.st_dev == other.st_dev &&
         one.st_ino == other.st_ino;
}

}  // namespace cogstride
