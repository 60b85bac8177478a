#include "cogstride/rig/files/read_rig.hpp"

#include <gtest/gtest.h>

#include <map>
#include <regex>
#include <set>
#include <string>

#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/figures/derive.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "cogstride/rig/keys/key_list.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::read_rig_test {
namespace {

using namespace literals;

std::string demo_text() {
  return read_text_file(testing_support::demo_rig_path);
}

std::string with(std::string text, const std::string& from, const std::string& to) {
  const std::size_t at = text.find(from);
  EXPECT_NE(at, std::string::npos) << from;
  return text.replace(at, from.size(), to);
}

std::vector<Diagnostic> wrong_in(const std::string& text) {
  try {
    (void)parse_rig(text, "x.rig.toml");
  } catch (const InputError& error) {
    return error.diagnostics();
  }
  return {};
}

/// The one message that a changed demo rig raises, with its place.
std::string one_wrong(const std::string& from, const std::string& to) {
  const std::vector<Diagnostic> wrong = wrong_in(with(demo_text(), from, to));
  EXPECT_EQ(wrong.size(), 1u) << to;
  return wrong.empty() ? "" : to_text(wrong[0]);
}

std::size_t line_of(const std::string& text, const std::string& part) {
  return 1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(text.find(part)), '\n');
}

TEST(ReadRig, TakesTheDemoRigAsItIsWritten) {
  const Rig rig = testing_support::demo_rig();
  EXPECT_EQ(rig.name, "Bobbin bench");
  EXPECT_EQ(rig.controller.timer_clock, 48_MHz);
  ASSERT_EQ(rig.mechanisms.size(), 6u);
  const Mechanism& traverse = rig.mechanisms[0];
  EXPECT_EQ(steps_per_base(traverse), Ratio(800'000, 3));
  EXPECT_EQ(traverse.supply.voltage.in(units::V), 24.0);
  EXPECT_EQ(traverse.step_dir_lines().enable->active, ActiveLevel::low);
  EXPECT_EQ(traverse.step_dir_lines().pulse_width.in(units::us),
            traverse.step_dir().shortest_high.in(units::us))
      << "the board's own, when not said";
  EXPECT_EQ(traverse.home_switch()->acts_at, OutputPosition(-0.992_mm));
  EXPECT_EQ(traverse.homing->position, OutputPosition(0_mm));
  EXPECT_EQ(traverse.limits.travel_to, OutputPosition(118_mm));
}

TEST(ReadRig, DerivesWhatAMakerWouldWorkOut) {
  const Rig rig = testing_support::demo_rig();
  const StepperFigures figures = stepper_figures(rig.mechanisms[0], rig.controller);
  EXPECT_EQ(figures.steps_per_unit, Ratio(800, 3));
  EXPECT_DOUBLE_EQ(figures.resolution, 0.00375);
  EXPECT_DOUBLE_EQ(figures.top_step_rate, 16'000);
  EXPECT_EQ(figures.travel_steps, 31'467);
  const double ramp_time = 2 * std::sqrt(56.0 / 40'000);  // 56 mm/s by jerk alone: 1497 mm/s2 at the most
  EXPECT_NEAR(figures.ramp_time, ramp_time, 1e-12);
  EXPECT_NEAR(figures.ramp_way, 32 * ramp_time, 1e-12);
  EXPECT_NEAR(*figures.travel_time, 2 * ramp_time + (118 - 64 * ramp_time) / 60, 1e-4);
}

/// The declared keys of the table that a line of the rig file stands in.
const KeySection* section_of(const std::string& header, const std::string& kind, const std::string& motor,
                             const std::string& board) {
  std::string table = std::regex_replace(
      header, std::regex("(mechanism|sensor|timer|supply|hand|output|binding)\\.[a-z_]+"), "$1.NAME");
  std::string wanted = kind;
  if (table == "[mechanism.NAME.lines]") wanted = board;
  if (table == "[mechanism.NAME.limits]")
    wanted = motor.find("stepper") != std::string::npos   ? "steppers, closed-loop servo"
             : motor == "brushed" || motor == "brushless" ? "brushed, brushless"
                                                          : motor;
  for (const KeySection& section : key_sections())
    if (section.table == table && section.kind == wanted) return &section;
  return nullptr;
}

/// One assignment of the demo rig: where it stands, and whether its key is required.
struct Assignment {
  std::size_t begin = 0;
  std::size_t length = 0;
  std::string key{};
  bool required = false;
};

std::vector<Assignment> assignments_of(const std::string& text) {
  std::vector<Assignment> all;
  const std::regex line("\n(\\[[a-z_.]+\\]|([a-z_]+) = ([^\n]*))");
  std::map<std::string, std::string> kinds;  // by header, read ahead
  std::string header;
  for (auto it = std::sregex_iterator(text.begin(), text.end(), line); it != std::sregex_iterator(); ++it) {
    if ((*it)[1].str()[0] == '[') header = (*it)[1];
    if ((*it)[2] == "kind")
      kinds[header] = std::regex_replace((*it)[3].str(), std::regex("\"([^\"]*)\".*"), "$1");
  }
  header = "the file itself";
  for (auto it = std::sregex_iterator(text.begin(), text.end(), line); it != std::sregex_iterator(); ++it) {
    if ((*it)[1].str()[0] == '[') {
      header = (*it)[1];
      continue;
    }
    const std::string owner = std::regex_replace(header, std::regex("(\\[mechanism\\.[a-z]+).*"), "$1");
    const KeySection* const section =
        section_of(header, kinds[header], kinds[owner + ".motor]"], kinds[owner + ".board]"]);
    EXPECT_NE(section, nullptr) << header;
    Assignment assignment{static_cast<std::size_t>(it->position()), static_cast<std::size_t>(it->length()),
                          (*it)[2]};
    const std::string value = (*it)[3];
    if (value.find('[') == 0 && value.find(']') == std::string::npos)  // over several lines
      assignment.length = text.find("\n]", assignment.begin) + 2 - assignment.begin;
    bool declared = false;
    for (const KeyInfo& key : section->keys) {
      if (key.name != assignment.key) continue;
      declared = true;
      assignment.required = key.otherwise.rfind("required", 0) == 0;
    }
    EXPECT_TRUE(declared) << header << " " << assignment.key;
    all.push_back(assignment);
  }
  return all;
}

TEST(ReadRig, NeedsEveryRequiredKeyAndSaysWhichIsMissing) {
  const std::string text = demo_text();
  int required = 0;
  for (const Assignment& assignment : assignments_of(text)) {
    std::string without = text;
    without.erase(assignment.begin, assignment.length);
    const std::vector<Diagnostic> wrong = wrong_in(without);
    if (assignment.key == "window") continue;  // acts_at and releases_at are needed instead
    if (!assignment.required) {
      EXPECT_LE(wrong.size(), 1u) << assignment.key << ": at most something else needs it";
      continue;
    }
    ++required;
    ASSERT_EQ(wrong.size(), 1u) << assignment.key << " at " << assignment.begin << ": "
                                << to_text(wrong.at(1));
    EXPECT_NE(wrong[0].message.find(assignment.key + " is missing"), std::string::npos) << wrong[0].message;
  }
  EXPECT_GE(required, 150);
}

TEST(ReadRig, PointsAtWhatIsWrongAndSaysWhatWouldDo) {
  const std::string text = demo_text();
  const auto at = [&](const std::string& part, std::size_t column) {
    return "x.rig.toml:" + std::to_string(line_of(text, part)) + ":" + std::to_string(column) + ": ";
  };
  EXPECT_EQ(
      one_wrong("microsteps = 8", "microsteps = 6"),
      at("microsteps = 8", 14) +
          "mechanism.traverse.board: microsteps 6 is not a setting of this board (1, 2, 4, 8, 10, 16, 20) "
          "(cogstride explain switch-setting-unknown)");
  EXPECT_EQ(
      one_wrong("rated_current = \"1.6 A\"", "rated_current = \"1.6 V\""),
      at("rated_current", 18) +
          "mechanism.traverse.motor: rated_current: '1.6 V' is not a current such as 1.6 A (units: A, mA)");
  EXPECT_EQ(one_wrong("rated_current = \"1.6 A\"", "rated_current = 1.6"),
            at("rated_current", 17) +
                "mechanism.traverse.motor: rated_current: found 1.6; expected a current such as 1.6 A, in "
                "quotes with its unit");
  EXPECT_EQ(one_wrong("inductance = \"3.4 mH\"", "inductance = \"3.4 mhh\""),
            at("inductance", 19) +
                "mechanism.traverse.motor: inductance: unit 'mhh' is not known; did you mean mH?");
  EXPECT_EQ(one_wrong("\nwake =", "\nwakes ="),
            at("wake =", 1) + "mechanism.traverse.board: key 'wakes' is not known here; did you mean wake?");
  EXPECT_NE(one_wrong("dir = { line = 1 }", "dir = { line = 0 }").find("explain line-used-twice"),
            std::string::npos);
  EXPECT_NE(one_wrong("dir = { line = 1 }", "dir = { line = 0 }").find("line 0 is used twice"),
            std::string::npos);
  EXPECT_NE(one_wrong("part = \"belt\"", "part = \"chain\"")
                .find("found \"chain\"; expected \"belt\" or \"gear pair\" or \"screw\""),
            std::string::npos);
  EXPECT_NE(one_wrong("inductance = \"3.4 mH\"", "inductance = \"-3.4 mH\"").find("above 0"),
            std::string::npos);
  EXPECT_NE(one_wrong("start_speed = \"4 mm/s\"", "start_speed = \"70 mm/s\"")
                .find("over the top speed of 60 mm/s"),
            std::string::npos);
  EXPECT_NE(one_wrong("from = \"0 mm\"", "from = \"119 mm\"").find("the first must be the lower"),
            std::string::npos);
  EXPECT_NE(one_wrong("supply = \"main\"", "supply = \"mains\"").find("the rig has main"), std::string::npos);
  EXPECT_NE(one_wrong("sensor = \"gate\"", "sensor = \"gates\"").find("this mechanism has gate"),
            std::string::npos);
  EXPECT_NE(one_wrong("inertia = \"7.6e-5 kg m2\"", "inertia = \"7.6e-7 kg m2\"")
                .find("the rotor's own 6.2e-06 kg m2 included"),
            std::string::npos);
  EXPECT_NE(one_wrong("full_steps = 200", "full_steps = 202").find("a multiple of 4"), std::string::npos);
  EXPECT_NE(one_wrong("position = \"0 mm\"", "position = \"130 mm\"").find("outside the travel"),
            std::string::npos);
  EXPECT_NE(one_wrong("kind = \"STEP/DIR\"", "kind = \"STEPDIR\"").find("expected \"STEP/DIR\""),
            std::string::npos);
  EXPECT_NE(one_wrong("hard_ends = { from = \"-3.5 mm\"", "hard_ends = { from = \"3.5 mm\"")
                .find("inside the travel"),
            std::string::npos);
}

TEST(ReadRig, SaysEverythingThatIsWrongInOneGo) {
  std::string text = with(demo_text(), "microsteps = 8", "microsteps = 6");
  text = with(text, "inductance = \"3.4 mH\"", "inductanse = \"3.4 mH\"");
  text = with(text, "travel = { from", "travel = { form");
  const std::vector<Diagnostic> wrong = wrong_in(text);
  ASSERT_EQ(wrong.size(), 5u) << "setting; key missing and key unknown, twice";
  for (std::size_t i = 1; i < wrong.size(); ++i) EXPECT_LE(wrong[i - 1].place.line, wrong[i].place.line);
}

TEST(ReadRig, CountersOfTheSystemHaveAChannelForEachEncoder) {
  const std::string chip = "\n[controller.counter.main]\nchip = \"counter0\"\n";
  const Rig rig = parse_rig(demo_text() + chip + "lines = [24, 31]\n", "test");
  ASSERT_EQ(rig.controller.counter_chips.size(), 1u);
  EXPECT_EQ(rig.controller.counter_chips[0].channels, (std::vector<std::int64_t>{0, 1}));
  const auto says = [&](const std::string& more) {
    const std::vector<Diagnostic> wrong = wrong_in(demo_text() + chip + more);
    return wrong.empty() ? std::string() : wrong[0].message;
  };
  EXPECT_NE(says("lines = [24, 24]\n").find("line 24 is named twice"), std::string::npos);
  EXPECT_NE(says("lines = [24]\nchannels = [0, 1]\n").find("names 2 channels for 1 lines"),
            std::string::npos);
  EXPECT_NE(says("lines = [24]\n[controller.counter.other]\nchip = \"counter1\"\nlines = [24]\n")
                .find("line 24 is a channel of main already"),
            std::string::npos);
}

TEST(ReadRig, ThePageShowsWhatItSaysInTheOrderOfTheFile) {
  const Rig rig = parse_rig(demo_text() + R"(
[page.wind]
on = "play wind.moves"
[page.guide]
of = "traverse"
label = "Yarn guide"
shows = ["place", "hold"]
from = "10 mm"
to = "60 mm"
[page.breath]
value = "fade lamp to VALUE"
from = "0 %"
to = "40 %"
)",
                            "test");
  ASSERT_EQ(rig.page.size(), 3u);
  EXPECT_EQ(rig.page[0].name, "wind");
  EXPECT_EQ(rig.page[1].shows, (std::vector<std::string>{"place", "hold"}));
  EXPECT_EQ(rig.page[2].value, "fade lamp to VALUE");
  EXPECT_EQ(only_with(rig, {"creel"}).page.size(), 2u) << "the guide is left out";
  const auto says = [&](const std::string& more) {
    const std::vector<Diagnostic> wrong = wrong_in(demo_text() + "[page.one]\n" + more);
    return wrong.empty() ? std::string() : wrong[0].message;
  };
  for (const auto& [more, why] :
       {std::pair{"", "it shows nothing"},
        std::pair{"of = \"nobody\"", "found \"nobody\"; the rig has traverse"},
        std::pair{"of = \"lamp\"\non = \"switch lamp on\"", "has its own orders"},
        std::pair{"of = \"lamp\"\nshows = [\"colour\"]", "found \"colour\"; it is one of drawing, place"},
        std::pair{"of = \"traverse\"\nfrom = \"1 mm\"", "both are said"},
        std::pair{"value = \"fade lamp to 5 %\"", "the word VALUE"},
        std::pair{"value = \"fade lamp to VALUE\"", "both are said"},
        std::pair{"value = \"fade lamp to VALUE\"\nlatched = true", "is not latched"},
        std::pair{"on = \"switch lamp on\"\nfrom = \"1 %\"\nto = \"2 %\"", "is of a slider"},
        std::pair{"on = \"switch lamp on\"\nshows = [\"place\"]", "is of what `of` names"}})
    EXPECT_NE(says(more).find(why), std::string::npos) << more << ": " << says(more);
}

TEST(ReadRig, BindingsAndWhatHoldsByHandAreWhatTheyCanBe) {
  const Rig rig = parse_rig(demo_text(), "test");
  ASSERT_EQ(rig.bindings.size(), 6u);
  EXPECT_EQ(rig.bindings[0].control, "pedal");
  EXPECT_TRUE(rig.bindings[4].latched);
  EXPECT_EQ(only_with(rig, {"traverse"}).bindings.size(), 3u) << "the two keys, and the lamp's";
  const auto says = [&](const std::string& more) {
    const std::vector<Diagnostic> wrong = wrong_in(demo_text() + more);
    return wrong.empty() ? std::string() : wrong[0].message;
  };
  for (const auto& [more, wanted] :
       {std::pair{"[binding.x]\ncontrol = \"foot\"\non = \"stop\"\n",
                  "found \"foot\"; it is one of pedal, left"},
        std::pair{"[binding.x]\ncontrol = \"halt\"\non = \"stop\"\n", "is an emergency stop"},
        std::pair{"[binding.x]\ncontrol = \"dial\"\non = \"stop\"\n", "dial is turned"},
        std::pair{"[binding.x]\ncontrol = \"pedal\"\n", "it does nothing"},
        std::pair{"[binding.x]\ncontrol = \"key f\"\noff = \"stop\"\n", "key f has no `off`"},
        std::pair{"[binding.x]\ncontrol = \"pedal\"\nvalue = \"spin feeder at 3 %\"\nfrom = \"1 %\"\nto = "
                  "\"2 %\"\n",
                  "the word VALUE"},
        std::pair{"[binding.x]\ncontrol = \"dial\"\nvalue = \"spin feeder at VALUE\"\n",
                  "needs `from` and `to`"},
        std::pair{"[binding.x]\ncontrol = \"dial\"\nvalue = \"spin feeder at VALUE\"\nfrom = \"1 %\"\n",
                  "both are said, or none"},
        std::pair{"[binding.x]\ncontrol = \"dial\"\nvalue = \"spin feeder at VALUE\"\neach = \"1 %\"\n",
                  "has no clicks"},
        std::pair{"[hand.w]\nkind = \"encoder wheel\"\nline_a = 90\n", "needs `line_a` and `line_b`"},
        std::pair{"[hand.w]\nkind = \"encoder wheel\"\nline_a = 90\nline_b = 91\nedges_per_click = 3\n",
                  "it is 1, 2 or 4"},
        std::pair{"[hand.w]\nkind = \"encoder wheel\"\nline_a = 90\nline_b = 91\n[binding.x]\ncontrol = "
                  "\"w\"\nvalue = \"nudge traverse by VALUE\"\nfrom = \"1 mm\"\nto = \"2 mm\"\n",
                  "`each` says what a click amounts to"},
        std::pair{"[binding.x]\ncontrol = \"pedal\"\non = \"stop\"\nfrom = \"1 %\"\n", "are of a value"},
        std::pair{"[operate]\nhold_lasts = \"20 s\"\n", "from 0.05 s"},
        std::pair{"[operate]\nwhen_lost = \"nothing\"\n", "expected \"rest\" or \"stop everything\""},
        std::pair{"[mechanism.creel.by_hand]\nspeed = \"90 deg/s\"\n", "is over its limit of 40 deg/s"}})
    EXPECT_NE(says(std::string("\n") + more).find(wanted), std::string::npos)
        << more << says(std::string("\n") + more);
}

TEST(ReadRig, ALinkGoesToASmallChip) {
  const std::vector<Diagnostic> wrong =
      wrong_in(demo_text() + "\n[controller.link]\nport = \"/dev/ttyS0\"\n");
  ASSERT_EQ(wrong.size(), 1U);
  EXPECT_NE(wrong[0].message.find("say which, in [controller.small_chip]"), std::string::npos);
}

// The declarations against the reader: what a table knows is what is listed, and nothing else.
TEST(ReadRig, KnowsTheKeysThatAreListedAndNoOther) {
  std::string text = demo_text();
  const std::string header = "\n[";
  for (std::size_t at = text.find(header); at != std::string::npos; at = text.find(header, at + 1)) {
    const std::size_t end = text.find("\n", at + 1);
    const std::size_t close = text.find(']', at);
    if (close < end) text.insert(end + 1, "zzzzzzzzzzzzzzzzzzzzzzzz = 1\n");
  }
  std::set<std::string> listed{"motor",  "board",   "lines",   "load",      "limits",     "sensor",
                               "homing", "follows", "also",    "timer",     "counters",   "analogue",
                               "gpio",   "pwm",     "counter", "heartbeat", "small_chip", "link",
                               "bus",    "proven",  "guesses", "by_hand"};
  for (const KeySection& section : key_sections())
    for (const KeyInfo& key : section.keys) listed.insert(key.name);
  const std::string known = "known: ";
  int keys = 0;
  int tables = 0;
  for (const Diagnostic& wrong : wrong_in(text)) {
    const std::size_t at = wrong.message.find(known);
    if (at == std::string::npos) continue;
    ++tables;
    const std::regex word("[a-z_0-9]+");
    const std::string list = wrong.message.substr(at + known.size());
    for (auto it = std::sregex_iterator(list.begin(), list.end(), word); it != std::sregex_iterator();
         ++it, ++keys)
      EXPECT_EQ(listed.count(it->str()), 1u) << it->str() << " is not listed";
  }
  EXPECT_EQ(tables, 67);
  EXPECT_GT(keys, 400);
}

TEST(ReadRig, PulsesHaveTheirOrderAndFitTheirFrame) {
  const auto with = [](const std::string& after, const std::string& more) {
    std::string text = demo_text();
    text.insert(text.find(after) + after.size(), more);
    return wrong_in(text);
  };
  const std::string longest = "longest_pulse = \"2.06 ms\"\n";
  EXPECT_TRUE(with(longest, "centre_pulse = \"1.5 ms\"\n").empty());
  ASSERT_EQ(with(longest, "centre_pulse = \"2.1 ms\"\n").size(), 1u);
  EXPECT_NE(with(longest, "centre_pulse = \"2.1 ms\"\n")[0].message.find(
                "does not lie between the shortest, 0.92 ms"),
            std::string::npos);
  std::string text = demo_text();
  const std::string rate = "longest_pulse = \"2.06 ms\"\nframe_rate = \"50 Hz\"";
  text.replace(text.find(rate), rate.size(), "longest_pulse = \"2.06 ms\"\nframe_rate = \"500 Hz\"");
  ASSERT_FALSE(wrong_in(text).empty());
  EXPECT_NE(wrong_in(text)[0].message.find("has no room for a pulse of 2.06 ms"), std::string::npos);
}

TEST(ReadRig, ABridgeThatCoastsBetweenNeedsALineThatSwitchesItOff) {
  std::string text = demo_text();
  const std::string enable = "enable = { line = 30 }\n";
  const std::size_t at = text.find(enable);
  ASSERT_NE(at, std::string::npos);
  text.replace(at, enable.size(), "decay = \"fast\"\n" + enable);
  EXPECT_TRUE(wrong_in(text).empty());
  text.replace(text.find(enable), enable.size(), "");
  const auto wrong = wrong_in(text);
  ASSERT_EQ(wrong.size(), 1u);
  EXPECT_NE(wrong[0].message.find("a line has to switch the bridge off"), std::string::npos)
      << wrong[0].message;
}

TEST(ReadRig, AKnobsCentreLiesInsideItsRange) {
  const std::string text = demo_text() +
                           "\n[hand.stick]\nkind = \"knob\"\nchannel = 1\nlowest = \"0.2 V\"\n"
                           "highest = \"3 V\"\ncentre = \"2.99 V\"\n";
  const auto wrong = wrong_in(text);
  ASSERT_EQ(wrong.size(), 1u);
  EXPECT_NE(wrong[0].message.find("stick: its centre 2.99 V"), std::string::npos) << wrong[0].message;
}

TEST(ReadRig, ReversesAMechanismInOnePlace) {
  const auto reversed = [](const std::string& name) {
    const std::string table = "[mechanism." + name + "]\n";
    const Rig rig = parse_rig(with(demo_text(), table, table + "reversed = true\n"), "x");
    return mechanism_named(rig, name);
  };
  const Mechanism traverse = reversed("traverse");
  EXPECT_EQ(traverse.step_dir_lines().dir.active, ActiveLevel::low);
  EXPECT_EQ(traverse.home_switch()->acts_at, OutputPosition(-0.992_mm)) << "positions are the output's own";
  const Mechanism creel = reversed("creel");
  EXPECT_EQ(std::get<CoilWiring>(creel.wiring).coils[2].number, 11) << "B turned round";
  const Mechanism feeder = reversed("feeder");
  EXPECT_EQ(std::get<BridgeWiring>(feeder.wiring).input_a->number, 29);
  EXPECT_TRUE(std::get<Encoder>(feeder.sensors[0]).counts_backwards) << "the encoder follows";
  for (const char* const name : {"traverse", "creel", "spindle", "feeder", "fan", "snips"}) {
    const std::string table = std::string("[mechanism.") + name + "]\n";
    EXPECT_TRUE(inspect_rig(parse_rig(with(demo_text(), table, table + "reversed = true\n"), "x")).is_sound())
        << name;
  }
  const Mechanism spindle = reversed("spindle");
  EXPECT_EQ(std::get<GateWiring>(spindle.wiring).gates[2].number, 20) << "b and c change places";
  EXPECT_TRUE(
      inspect_rig(
          parse_rig(with(demo_text(), "[mechanism.creel]\n", "[mechanism.creel]\nreversed = true\n"), "x"))
          .is_sound());
}

TEST(ReadRig, RefusesABoardThatCannotDriveTheMotor) {
  const std::string message = one_wrong(
      "kind = \"bipolar stepper\"\nfull_steps = 200               # a turn\nstep_angle = \"1.8 deg\"         "
      "# said twice, so that it can be checked\nwires = [\"black\", \"green\", \"red\", \"blue\"]",
      "kind = \"unipolar stepper\"\nfull_steps = 200");
  EXPECT_NE(message.find(
                "a STEP/DIR cannot drive a unipolar stepper motor; boards that can: \"four-input transistor "
                "array\""),
            std::string::npos)
      << message;
}

TEST(ReadRig, LetsASyntaxErrorStandAlone) {
  const std::vector<Diagnostic> wrong = wrong_in("name = \"x\"\ncontroller = [\n");
  ASSERT_EQ(wrong.size(), 1u);
  EXPECT_NE(wrong[0].message.find("not TOML"), std::string::npos);
  EXPECT_GE(wrong[0].place.line, 2u);
  EXPECT_THROW((void)read_rig("/nowhere/at.all"), Error);
}

TEST(ReadRig, PointsAtCharactersThatTomlDoesNotKnow) {
  const auto stray = [](const std::string& text) {
    const std::vector<Diagnostic> wrong = wrong_in(text);
    EXPECT_EQ(wrong.size(), 1u);
    return wrong.empty() ? "" : to_text(wrong[0]).substr(0, 45);
  };
  EXPECT_EQ(stray("name = \"x\"\n\u00e4 = 1\n"), "x.rig.toml:2:1: not TOML: '\u00e4' stands outside");
  EXPECT_EQ(stray("name\u00a0= \"x\"\n").substr(0, 29), "x.rig.toml:1:5: not TOML: '\u00a0");
  EXPECT_EQ(stray("name = \"open\n\u00e4\n").substr(0, 15), "x.rig.toml:2:1:")
      << "a quote ends with its line";
  EXPECT_EQ(stray("name = 0\"\u00e4\"\n").substr(0, 16), "x.rig.toml:1:10:") << "no value begins there";
  // Inside quotes and comments they are welcome.
  const std::string text = with(demo_text(), "name = \"Bobbin bench\"",
                                "name = \"B\u00e4nkchen \\\" \ufcff\"  # \u00e4 \u3000 \ufcff");
  EXPECT_EQ(parse_rig(text, "x").name, "B\u00e4nkchen \" \ufcff");
}

TEST(ReadRig, TakesARotaryMechanismOnAStepDirBoard) {
  std::string text = demo_text();
  const std::size_t train = text.find("train = [");
  text.replace(train, text.find("]\n", train) + 2 - train,
               "train = [{ part = \"gear pair\", driving = 10, driven = 34 }, { part = \"gear pair\", "
               "driving = 9, driven = 29 }]\n");
  text.erase(text.find("[mechanism.traverse.limits]"));
  text += "[mechanism.traverse.limits]\nspeed = \"40 deg/s\"\nacceleration = \"40 deg/s2\"\n";
  const Rig rig = parse_rig(text, "reel.rig.toml");
  EXPECT_EQ(steps_per_base(rig.mechanisms[0]), Ratio(1600) * Ratio(34 * 29, 90));
  EXPECT_EQ(rig.mechanisms[0].limits.speed, OutputSpeed(40_deg_per_s));
  EXPECT_FALSE(rig.mechanisms[0].homing);
}

}  // namespace
}  // namespace cogstride::read_rig_test
