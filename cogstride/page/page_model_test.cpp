// What the page offers of a rig is what the rig can do.
#include "cogstride/page/page_model.hpp"

#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <set>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/error.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/refusal.hpp"
#include "support/until_then.hpp"

namespace cogstride::page_model_test {
namespace {

using testing_support::has;
using Json = nlohmann::json;

/// A bench with its page, and what becomes of orders.
struct Paged {
  explicit Paged(Rig of) : bench(std::move(of)), by_hand(bench) {
    model = Json::parse(page_model(bench, by_hand, "simulated"));
  }
  /// "done", "refused: why"; "" while it goes on.
  std::string order(const std::string& line, double seconds) {
    const auto said = std::make_shared<std::string>();
    bench.post(line, [this, line, said] {
      by_hand.take(line, "page 1", [said](const Operation::Answer& answer) {
        *said = to_text(answer.kind) + (answer.words.empty() ? std::string() : ": " + answer.words);
      });
    });
    for (double gone = 0.0; gone < seconds && said->empty(); gone += 0.05)
      testing_support::go_on(bench, by_hand, 0.05);
    return *said;
  }
  [[nodiscard]] const Json* thing(const std::string& name) const {
    for (const Json& each : model["things"])
      if (each["name"] == name) return &each;
    return nullptr;
  }

  SimulatedBench bench;
  Operation by_hand;
  Json model{};
};

std::string with(std::string order, const std::string& amount) {
  if (const std::size_t at = order.find("{}"); at != std::string::npos) order.replace(at, 2, amount);
  return order;
}

std::string amount(const Json& control, double value) {
  const auto unit = control["unit"].get<std::string>();
  return std::to_string(value) + (unit.empty() ? "" : " " + unit);
}

/// All that one control can send.
std::vector<std::string> orders_of(const Json& control) {
  std::vector<std::string> all;
  const auto add = [&](const Json& of, const char* key) {
    if (const auto order = of.find(key);
        order != of.end() && order->is_string() && !order->get<std::string>().empty())
      all.push_back(order->get<std::string>());
  };
  if (control["part"] == "value") {
    const double from = control["from"];
    const double to = control["to"];
    const double least = control.value("least", 0.0);
    for (const double value : {to, from, std::max(least, 0.5 * (from + to)), std::max(least, 0.1 * to)}) {
      const bool is_nothing = std::abs(value) < least / 2.0 || value == 0.0;
      if (control.contains("zero") && is_nothing)
        all.push_back(control["zero"]);
      else
        all.push_back(with(control["order"], amount(control, value)));
    }
    return all;
  }
  if (control["part"] == "stations") {
    for (const std::int64_t station : {std::int64_t{0}, control["count"].get<std::int64_t>() - 1})
      all.push_back(with(control["order"], std::to_string(station)));
    return all;
  }
  for (const char* const key : {"order", "on", "off", "ends"}) add(control, key);
  if (control.contains("ways"))
    for (const Json& way : control["ways"])
      for (const char* const key : {"order", "on", "back"}) add(way, key);
  return all;
}

/// Refused for how things are just now.
bool depends_on_how_it_is(const std::string& said) {
  return has(said, "is outside its travel") || has(said, "follows nothing here");
}

/// What is refused though it was offered. Homed and armed first, as the page's user would; each comes to
/// rest.
std::vector<std::string> refused_of(const std::string& file) {
  std::vector<std::string> wrong;
  Paged at(read_rig(file));
  const auto sent = [&](const std::string& order, double seconds) {
    const std::string said = at.order(order, seconds);
    if (!said.starts_with("refused") || depends_on_how_it_is(said)) return;
    wrong.push_back(file + ": " + order + ": " + said);
  };
  for (const Json& thing : at.model["things"])
    for (const Json& control : thing["controls"])
      if (control["id"] == "home" && !control.contains("why")) sent(control["order"], 120.0);
  for (const Json& thing : at.model["things"])
    for (const Json& control : thing["controls"]) {
      if (control.contains("why")) {
        EXPECT_FALSE(control["why"].get<std::string>().empty());
        continue;
      }
      if (control["id"] == "home") continue;
      const bool stops = thing["shape"] != "lamp";
      for (const std::string& order : orders_of(control)) {
        sent(order, 0.3);
        if (stops) sent("stop " + thing["name"].get<std::string>(), 20.0);
      }
    }
  return wrong;
}

void expect_all_taken(const std::string& folder) {
  int count = 0;
  for (const auto& entry : std::filesystem::directory_iterator(folder)) {
    const std::string file = entry.path().string();
    if (!file.ends_with(".rig.toml")) continue;
    ++count;
    EXPECT_EQ(refused_of(file), std::vector<std::string>{});
  }
  EXPECT_GT(count, 3);
}

TEST(PageModel, OffersOfTheDemoRigsWhatTheyDo) {
  expect_all_taken(COGSTRIDE_SOURCE_DIR "/demo");
}

TEST(PageModel, OffersOfOtherRigsWhatTheyDo) {
  expect_all_taken(COGSTRIDE_SOURCE_DIR "/tests/rigs/sound");
}

TEST(PageModel, HasAllThatMovesTurnsAndLights) {
  const Paged at(read_rig(COGSTRIDE_SOURCE_DIR "/demo/warping.rig.toml"));
  const Rig& rig = at.bench.rig();
  for (const Mechanism& mechanism : rig.mechanisms) EXPECT_TRUE(at.thing(mechanism.name)) << mechanism.name;
  for (const PlainOutput& output : rig.outputs) EXPECT_TRUE(at.thing(output.name)) << output.name;
  EXPECT_EQ(at.model["rig"], rig.name);
  EXPECT_EQ(at.model["where"], "simulated");
}

/// The demo rig's traverse, and more.
Rig with_more(const std::string& more) {
  std::ifstream file(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml");
  const std::string text((std::istreambuf_iterator<char>(file)), std::istreambuf_iterator<char>());
  return parse_rig(text + more, "more.rig.toml");
}

TEST(PageModel, ShowsWhatOthersFollow) {
  const std::string pace = "\n[shaft.pace]\nspeed = \"200 rpm\"\n";
  const std::string wheel =
      "\n[shaft.wheel]\nspeed = \"200 rpm\"\n[shaft.wheel.encoder]\nline_a = 140\nline_b = 141\n"
      "lines_per_turn = 250\n";
  Paged at(with_more(pace + wheel));
  ASSERT_TRUE(at.thing("pace"));
  EXPECT_EQ((*at.thing("pace"))["kind"], "master speed");
  const Json& speed = (*at.thing("pace"))["controls"][0];
  EXPECT_EQ(speed["order"], "spin pace at {}");
  EXPECT_EQ(speed["from"], -200.0);
  EXPECT_FALSE(speed.contains("why")) << speed["why"];
  EXPECT_EQ(at.order("spin pace at -200 rpm", 1.0), "done");
  EXPECT_TRUE(has(at.order("spin pace at 201 rpm", 1.0), "refused"));
  ASSERT_TRUE(at.thing("wheel"));
  EXPECT_EQ((*at.thing("wheel"))["controls"], Json::array()) << "nothing of this rig turns it";
}

TEST(PageModel, SaysWhyWhatTheRigForbidsIsNotOffered) {
  std::set<std::string> forbidden;
  for (const char* const file : {"/tests/rigs/sound/hatch.rig.toml", "/tests/rigs/sound/pumps.rig.toml"}) {
    Paged at(read_rig(COGSTRIDE_SOURCE_DIR + std::string(file)));
    for (const Json& thing : at.model["things"])
      for (const Json& control : thing["controls"]) {
        if (!control.contains("why")) continue;
        forbidden.insert(thing["name"].get<std::string>() + "." + control["id"].get<std::string>());
        for (const std::string& order : orders_of(control)) {
          const std::string said = at.order(order, 0.5);
          EXPECT_TRUE(said.starts_with("refused")) << order << ": " << said;
        }
      }
  }
  EXPECT_TRUE(forbidden.count("hatch.nudge")) << "it has no encoder";
}

TEST(PageModel, ShowsWhatTheRigWants) {
  const std::string page =
      "\n[page.guide]\nof = \"traverse\"\nlabel = \"Guide\"\nshows = [\"place\", \"nudge\"]\nfrom = \"10 "
      "mm\"\n"
      "to = \"20 mm\"\n";
  const Paged at(with_more(page));
  ASSERT_EQ(at.model["things"].size(), 1u) << "and nothing else";
  const Json& guide = at.model["things"][0];
  EXPECT_EQ(guide["label"], "Guide");
  EXPECT_EQ(guide["drawn"], false);
  std::vector<std::string> ids;
  for (const Json& control : guide["controls"]) ids.push_back(control["id"]);
  EXPECT_EQ(ids, (std::vector<std::string>{"place", "nudge", "stop"})) << "STOP stays";
  EXPECT_EQ(guide["controls"][0]["from"], 10.0);
  EXPECT_EQ(guide["controls"][0]["to"], 20.0);
  const auto refused = [&](const std::string& of) {
    return testing_support::refusal_of<Error>(
        [&] { Paged wrong(with_more("\n[page.guide]\nof = \"traverse\"\n" + of)); });
  };
  EXPECT_TRUE(has(refused("from = \"-1 mm\"\nto = \"20 mm\"\n"), "traverse goes from 0 to"));
  EXPECT_TRUE(has(refused("from = \"20 mm\"\nto = \"10 mm\"\n"), "is not below"));
  EXPECT_TRUE(has(refused("from = \"1 deg\"\nto = \"10 deg\"\n"), "is in deg"));
  EXPECT_TRUE(has(refused("shows = [\"nudge\"]\nfrom = \"1 mm\"\nto = \"2 mm\"\n"), "it shows no slider"));
}

}  // namespace
}  // namespace cogstride::page_model_test
