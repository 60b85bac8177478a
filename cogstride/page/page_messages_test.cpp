#include "cogstride/page/page_messages.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <filesystem>
#include <fstream>
#include <limits>
#include <nlohmann/json.hpp>

#include "cogstride/page/host_names.hpp"
#include "cogstride/page/page_files.hpp"
#include "cogstride/rig/files/read_rig.hpp"

namespace cogstride::page_messages_test {
namespace {

using Json = nlohmann::json;

struct Looked {
  Looked() {
    TraceLayout layout;
    layout.ticks_per_second_numerator = 1000;
    layout.lines = {{LineId{3}, "traverse.step", false}, {LineId{4}, "lamp", true}};
    layout.signals = {{"traverse.asked", "mm"}, {"traverse.made", "mm"}};
    window.begin(layout);
  }
  RunWindow window{};
};

TEST(PageMessages, BeginWithWhoOneIsAndWhatIsSampled) {
  const Looked at;
  const Json first = Json::parse(begin_message("page \"1\"", &at.window, "{\"rig\":\"bobbin\"}"));
  EXPECT_EQ(first["you"], "page \"1\"");
  EXPECT_EQ(first["signals"][1]["name"], "traverse.made");
  EXPECT_EQ(first["page"]["rig"], "bobbin");
  EXPECT_EQ(Json::parse(begin_message("page 1", nullptr, "{}"))["signals"], Json::array());
}

TEST(PageMessages, TellSamplesThatAreKnown) {
  Looked at;
  const double values[] = {1.5, std::numeric_limits<double>::quiet_NaN()};
  at.window.sample(50, values);
  const Json rows = Json::parse(samples_message(at.window, at.window.samples(0, 10)))["samples"];
  EXPECT_EQ(rows, Json::parse("[[0.05, 1.5, null]]"));
}

TEST(PageMessages, TellLinesUpToALittleAfterTheLastEdgeThatIsLookedAt) {
  Looked at;
  at.window.edge(100, LineId{3}, true);
  at.window.edge(300, LineId{3}, false);
  at.window.edge(900, LineId{4}, false);
  at.window.end(1000);
  const Json lines = Json::parse(lines_message(at.window, 0.4, "traverse"))["lines"];
  EXPECT_DOUBLE_EQ(lines["until_s"], 0.32);  // a twentieth of what is shown after it
  const Json& step = lines["all"][0];
  EXPECT_EQ(step["name"], "traverse.step");
  EXPECT_EQ(step["high"], false);
  ASSERT_EQ(step["edges"].size(), 2u);
  EXPECT_DOUBLE_EQ(step["edges"][0], -0.22);
  EXPECT_DOUBLE_EQ(step["edges"][1], -0.02);
  EXPECT_EQ(lines["all"][1]["edges"], Json::array()) << "the lamp changed later";
  EXPECT_DOUBLE_EQ(Json::parse(lines_message(at.window, 0.4, ""))["lines"]["until_s"], 1.0) << "to now";
}

TEST(PageMessages, TellScriptsThatCanBePlayedAndWhyOthersCannot) {
  const auto folder = std::filesystem::temp_directory_path() / "cogstride-page-scripts";
  std::filesystem::create_directories(folder);
  std::ofstream(folder / "b.moves") << "fly traverse\n";
  std::ofstream(folder / "a.moves") << "wait 2 s\n";
  std::ofstream(folder / "c.moves") << "home traverse\n";
  std::ofstream(folder / "notes.txt") << "not one\n";
  const Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml");
  const Json all = Json::parse(scripts_message(folder.string(), rig))["scripts"];
  std::filesystem::remove_all(folder);
  ASSERT_EQ(all.size(), 3u);
  EXPECT_EQ(all[0], Json::parse(R"({"file": "a.moves", "lasts_s": 2.0})"));
  EXPECT_NE(all[1]["why"].get<std::string>().find("fly"), std::string::npos);
  EXPECT_EQ(all[2]["at_least"], true) << "homing takes what it takes";
  EXPECT_EQ(scripts_message("/nowhere/at/all", rig), "{\"scripts\":[]}");
}

TEST(HostNames, AreAddressesAndWhatThisComputerIsCalled) {
  for (const char* const ours : {"127.0.0.1:7480", "[::1]:7480", "192.168.1.20", "localhost:80", "localhost"})
    EXPECT_TRUE(names_this_computer(ours)) << ours;
  for (const char* const other : {"", "bobbin.example", "bobbin.example:7480", "localhost.bobbin.example",
                                  "127.0.0.1.bobbin.example", "local host", "127.0.0.1@bobbin", "[::1"})
    EXPECT_FALSE(names_this_computer(other)) << other;
  for (const std::string& each : addresses_of_this_computer()) EXPECT_TRUE(names_this_computer(each));
}

TEST(PageFiles, AreAllThere) {
  std::string page;
  for (const BuiltInFile& file : page_files())
    if (file.path == "/page.html") page = std::string(file.text);
  ASSERT_FALSE(page.empty());
  std::size_t wanted = 0;
  for (const BuiltInFile& file : page_files()) {
    EXPECT_FALSE(file.text.empty()) << file.path;
    EXPECT_FALSE(file.mark.empty());
    if (page.find(file.path.substr(1)) != std::string::npos) ++wanted;
  }
  EXPECT_GE(wanted, 3u);
}

}  // namespace
}  // namespace cogstride::page_messages_test
