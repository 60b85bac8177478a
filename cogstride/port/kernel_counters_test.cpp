// Counters of the operating system, by a folder of files that stands in for its attributes.
#include "cogstride/port/kernel_counters.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

#include "cogstride/port/kernel_files.hpp"
#include "cogstride/quantity/error.hpp"
#include "support/refusal.hpp"

namespace cogstride::kernel_counters_test {
namespace {

using testing_support::has;
using testing_support::refusal_of;

constexpr LineId a{40};

/// A chip with two counts, of which the second is 8 bits wide.
class KernelCountersOf : public testing::Test {
 protected:
  KernelCountersOf() {
    write("counters/counter0/name", "bench");
    for (const char* count : {"count0", "count1"}) {
      write(fmt::format("counters/counter0/{}/count", count), "0");
      write(fmt::format("counters/counter0/{}/function", count), "increase");
      write(fmt::format("counters/counter0/{}/enable", count), "0");
    }
    write("counters/counter0/count1/ceiling", "255");
    write("dev/counter0", "");
  }
  ~KernelCountersOf() override { std::filesystem::remove_all(folder_); }
  void write(const std::string& file, const std::string& text) {
    const std::filesystem::path path = folder_ / file;
    std::filesystem::create_directories(path.parent_path());
    std::ofstream(path) << text << '\n';
  }
  [[nodiscard]] std::string text(const std::string& file) const {
    return text_of_file(folder_ / file).value_or("");
  }
  [[nodiscard]] KernelCounters open(std::int64_t channel, const std::string& chip = "bench") const {
    Controller controller;
    controller.counter_chips = {{"main", chip, {40}, {channel}}};
    return {controller, {a}, (folder_ / "counters").string(), (folder_ / "dev").string()};
  }

  std::filesystem::path folder_ =
      std::filesystem::temp_directory_path() / fmt::format("kernel-counters-{}", getpid());
};

TEST_F(KernelCountersOf, AreMadeToCountEachEdgeAndCountFromWhereTheyStand) {
  write("counters/counter0/count0/count", "18446744073709551610");
  KernelCounters counters = open(0);
  EXPECT_EQ(text("counters/counter0/count0/function"), "quadrature x4");
  EXPECT_EQ(text("counters/counter0/count0/enable"), "1");
  EXPECT_TRUE(counters.has(a));
  EXPECT_FALSE(counters.has(LineId{41}));
  EXPECT_EQ(counters.read(a).count, 0);
  const std::int64_t before = counters.read(a).changed_ns;
  write("counters/counter0/count0/count", "5");
  EXPECT_EQ(counters.read(a).count, 11) << "round the end of 64 bits";
  EXPECT_GT(counters.read(a).changed_ns, before);
  EXPECT_FALSE(counters.tells_times(a));
  EXPECT_EQ(counters.name_of(a), "count 0 of counter0 (bench)");
}

TEST_F(KernelCountersOf, GoRoundTheShorterWay) {
  KernelCounters counters = open(1);
  write("counters/counter0/count1/count", "250");
  EXPECT_EQ(counters.read(a).count, -6);
  write("counters/counter0/count1/count", "3");
  EXPECT_EQ(counters.read(a).count, 3);
  write("counters/counter0/count1/count", "120");
  EXPECT_EQ(counters.read(a).count, 120);
}

TEST_F(KernelCountersOf, SayWhatIsMissing) {
  EXPECT_TRUE(has(refusal_of<Error>([&] { (void)open(0, "other"); }),
                  "controller.counter.main: this machine has no counter other; it has: counter0 (bench)"));
  EXPECT_TRUE(has(refusal_of<Error>([&] { (void)open(7); }),
                  "controller.counter.main: counter0 (bench) has no count 7"));
  std::filesystem::remove(folder_ / "dev/counter0");
  EXPECT_TRUE(has(refusal_of<Error>([&] { (void)open(0); }), "counter0 cannot be opened: No such file"));
}

TEST_F(KernelCountersOf, SayThatTheyAreGone) {
  KernelCounters counters = open(0);
  std::ofstream(folder_ / "counters/counter0/count0/count", std::ios::trunc).close();
  EXPECT_TRUE(has(refusal_of<Error>([&] { (void)counters.read(a); }),
                  "counter0 (bench) does not say any more how far it has counted"));
}

}  // namespace
}  // namespace cogstride::kernel_counters_test
