#include "cogstride/files/output_file.hpp"

#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <iterator>
#include <thread>
#include <vector>

#include "cogstride/quantity/error.hpp"

namespace cogstride::output_file_test {
namespace {

namespace fs = std::filesystem;

class OutputFiles : public testing::Test {
 protected:
  OutputFiles() { fs::create_directories(folder_); }
  ~OutputFiles() override { fs::remove_all(folder_); }

  [[nodiscard]] std::string in(const std::string& name) const { return (folder_ / name).string(); }
  [[nodiscard]] std::size_t names() const {
    return static_cast<std::size_t>(std::distance(fs::directory_iterator(folder_), {}));
  }
  static std::string text_of(const std::string& path) {
    std::ifstream file(path, std::ios::binary);
    return {std::istreambuf_iterator<char>(file), {}};
  }
  static void put(const std::string& path, const std::string& text) {
    std::ofstream(path, std::ios::binary) << text;
  }
  static void write(const std::string& path, const std::string& text,
                    OutputFile::Existing existing = OutputFile::Existing::replaced) {
    OutputFile file(path, existing);
    file.write(text);
    file.commit();
  }
  static std::string refusal(const std::string& path,
                             OutputFile::Existing existing = OutputFile::Existing::replaced) {
    try {
      write(path, "new", existing);
    } catch (const Error& error) {
      return error.what();
    }
    return {};
  }

 private:
  fs::path folder_ = fs::temp_directory_path() / ("output_file_test." + std::to_string(getpid()));
};

TEST_F(OutputFiles, AppearWholeOrNotAtAll) {
  const std::string path = in("first.csv");
  {
    OutputFile file(path);
    file.write("half");
    EXPECT_FALSE(fs::exists(path));
  }
  EXPECT_EQ(names(), 0u) << "without commit nothing stays";
  const std::string much(300'000, 'x');
  write(path, much);
  EXPECT_EQ(text_of(path), much);
  EXPECT_EQ(names(), 1u);
}

TEST_F(OutputFiles, KeepPermissionsAndLinks) {
  put(in("secret.toml"), "old");
  chmod(in("secret.toml").c_str(), 0600);
  fs::create_symlink("secret.toml", in("link.toml"));
  write(in("link.toml"), "new");
  EXPECT_TRUE(fs::is_symlink(in("link.toml")));
  EXPECT_EQ(text_of(in("secret.toml")), "new");
  struct stat now {};
  ASSERT_EQ(stat(in("secret.toml").c_str(), &now), 0);
  EXPECT_EQ(now.st_mode & 07777, 0600u);
}

TEST_F(OutputFiles, KeepTheirOwner) {
  put(in("users.toml"), "old");
  const bool can_give_away = getuid() == 0;
  ASSERT_EQ(can_give_away ? chown(in("users.toml").c_str(), 1234, 5678) : 0, 0);
  struct stat before {};
  ASSERT_EQ(stat(in("users.toml").c_str(), &before), 0);
  write(in("users.toml"), "new");
  struct stat now {};
  ASSERT_EQ(stat(in("users.toml").c_str(), &now), 0);
  EXPECT_EQ(now.st_uid, before.st_uid);
  EXPECT_EQ(now.st_gid, before.st_gid);
}

TEST_F(OutputFiles, ReplaceRegularFilesAlone) {
  ASSERT_EQ(mkfifo(in("pipe").c_str(), 0644), 0);
  EXPECT_NE(refusal(in("pipe")).find("is a pipe"), std::string::npos);
  EXPECT_TRUE(fs::is_fifo(in("pipe")));
  EXPECT_NE(refusal("/dev/null").find("is a device"), std::string::npos);
  fs::create_symlink("/dev/null", in("leads-away"));
  EXPECT_NE(refusal(in("leads-away")).find("is a device"), std::string::npos);
  fs::create_directory(in("folder"));
  EXPECT_NE(refusal(in("folder")).find("is a folder"), std::string::npos);
}

TEST_F(OutputFiles, DoNotReplaceOneThatAppearedMeanwhile) {
  OutputFile file(in("late.csv"), OutputFile::Existing::refused);
  file.write("mine");
  put(in("late.csv"), "somebody else's");
  EXPECT_THROW(file.commit(), Error);
  EXPECT_EQ(text_of(in("late.csv")), "somebody else's");
  EXPECT_NE(refusal(in("late.csv"), OutputFile::Existing::refused).find("is there already"),
            std::string::npos);
}

TEST_F(OutputFiles, OfTwoWritersAtOnceEachIsWhole) {
  OutputFile one(in("same.csv"));
  OutputFile other(in("same.csv"));
  one.write("one");
  other.write("other");
  one.commit();
  other.commit();
  EXPECT_EQ(text_of(in("same.csv")), "other");
  EXPECT_EQ(names(), 1u);
}

// Lost if a second reader may read before the first one has written.
TEST_F(OutputFiles, ThatAreChangedAtOnceLoseNoChange) {
  put(in("count"), "0");
  std::vector<std::thread> writers;
  for (int writer = 0; writer < 4; ++writer)
    writers.emplace_back([path = in("count")] {
      for (int i = 0; i < 25; ++i) {
        ChangedFile file(path);
        file.replace(std::to_string(std::stoi(file.text()) + 1));
      }
    });
  for (std::thread& writer : writers) writer.join();
  EXPECT_EQ(text_of(in("count")), "100");
  EXPECT_EQ(names(), 1u);
}

TEST_F(OutputFiles, AreTheSameUnderAllTheirNames) {
  put(in("a"), "");
  put(in("b"), "");
  fs::create_symlink("a", in("c"));
  EXPECT_TRUE(is_one_file(in("a"), in("c")));
  EXPECT_FALSE(is_one_file(in("a"), in("b")));
  EXPECT_FALSE(is_one_file(in("a"), in("nowhere")));
}

}  // namespace
}  // namespace cogstride::output_file_test
