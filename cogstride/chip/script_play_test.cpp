#include "cogstride/chip/script_play.hpp"

#include <gtest/gtest.h>

#include <string>
#include <vector>

namespace cogstride::chip {
namespace {

using Does = ScriptDoes;

/// Says what it is told, in words.
struct Told {
  static inline std::vector<ScriptStep> steps;
  static inline std::string words;
  static inline bool homing = false;
  static inline bool homed = true;
  static inline bool playing = false;
  static inline bool ended = false;
  static inline bool followed = false;
  static inline bool inputs[4] = {};

  static void begin(std::vector<ScriptStep> of) {
    steps = std::move(of);
    words.clear();
    homing = playing = ended = false;
    homed = true;
    for (bool& each : inputs) each = false;
  }
  static ScriptStep step(uint16_t at) { return steps.at(at); }
  static void hold(uint8_t axes) { words += " hold" + std::to_string(axes); }
  static void home(uint8_t axes, uint16_t) {
    words += " home" + std::to_string(axes);
    homing = true;
  }
  static bool is_homing(uint16_t) { return homing; }
  static bool has_homed() { return homed; }
  static void play(uint16_t stretch) {
    words += " play" + std::to_string(stretch);
    playing = true;
  }
  static bool is_playing() { return playing; }
  static bool has_been_ended() { return ended; }
  static constexpr bool may_follow = true;
  static void follow(uint8_t axis, uint16_t which) {
    words += " follow" + std::to_string(axis) + "." + std::to_string(which);
  }
  static void let_go(uint8_t axis) { words += " let" + std::to_string(axis); }
  static bool has_followed(uint8_t, uint16_t) { return followed; }
  static bool acts(uint8_t input) { return inputs[input]; }
  static void put(uint8_t output, bool on) { words += (on ? " on" : " off") + std::to_string(output); }
};
typedef ScriptPlay<Told> Script;

TEST(ScriptPlay, GoesFromStepToStep) {
  Told::begin({{Does::put_on, 1, 0},
               {Does::home, 3, 0},
               {Does::play, 0, 7},
               {Does::pause, 0, 400},
               {Does::put_off, 1, 0},
               {Does::end, 0, 0}});
  Script script;
  script.begin(65000);
  EXPECT_EQ(Told::words, " on1 home3");
  EXPECT_TRUE(script.serve(65100));
  Told::homing = false;
  EXPECT_TRUE(script.serve(65200));
  EXPECT_EQ(Told::words, " on1 home3 play7");
  Told::playing = false;
  EXPECT_TRUE(script.serve(65300));  // it has ended: the pause begins
  EXPECT_TRUE(script.serve(65300 + 200));
  EXPECT_TRUE(script.serve(static_cast<uint16_t>(65300 + 399)));  // the clock has wrapped
  EXPECT_FALSE(script.serve(static_cast<uint16_t>(65300 + 400)));
  EXPECT_EQ(Told::words, " on1 home3 play7 off1");
  EXPECT_EQ(script.fault(), ScriptFault::none);
}

TEST(ScriptPlay, GoesAlongWithALeader) {
  Told::begin({{Does::follow, 1, 2}, {Does::wait_followed, 1, 0}, {Does::let_go, 1, 0}, {Does::end, 0, 0}});
  Told::followed = false;
  Script script;
  script.begin(0);
  EXPECT_TRUE(script.serve(1));
  EXPECT_EQ(Told::words, " follow1.2");
  Told::followed = true;
  EXPECT_FALSE(script.serve(2));
  EXPECT_EQ(Told::words, " follow1.2 let1");
  EXPECT_EQ(script.fault(), ScriptFault::none);
  // Held up by its travel's end.
  Told::followed = false;
  script.begin(10);
  Told::ended = true;
  EXPECT_FALSE(script.serve(11));
  EXPECT_EQ(script.fault(), ScriptFault::ended);
  EXPECT_EQ(script.at(), 1);
}

TEST(ScriptPlay, RepeatsSoOftenAndInsideOneAnother) {
  Told::begin({{Does::repeat, 0, 3},
               {Does::put_on, 0, 0},
               {Does::repeat, 1, 2},
               {Does::put_on, 1, 0},
               {Does::go_back, 1, 3},
               {Does::go_back, 0, 1},
               {Does::end, 0, 0}});
  Script script;
  script.begin(0);
  EXPECT_FALSE(script.is_on());
  EXPECT_EQ(Told::words, " on0 on1 on1 on0 on1 on1 on0 on1 on1");
}

TEST(ScriptPlay, RepeatsWithoutEnd) {
  Told::begin({{Does::repeat, 0, 0}, {Does::pause, 0, 10}, {Does::go_back, 0, 1}, {Does::end, 0, 0}});
  Script script;
  script.begin(0);
  for (int i = 1; i < 1000; ++i) EXPECT_TRUE(script.serve(static_cast<uint16_t>(10 * i)));
}

TEST(ScriptPlay, WaitsAndLosesPatience) {
  for (const bool comes : {false, true}) {
    Told::begin({{Does::wait_on, 2, 30}, {Does::put_on, 0, 0}, {Does::end, 0, 0}});
    Script script;
    script.begin(0);
    EXPECT_TRUE(script.serve(2999));
    Told::inputs[2] = comes;
    EXPECT_FALSE(script.serve(3000));
    EXPECT_EQ(Told::words, comes ? " on0" : "");
    EXPECT_EQ(script.fault(), comes ? ScriptFault::none : ScriptFault::too_long);
  }
}

TEST(ScriptPlay, SwitchesWhileItPlays) {
  Told::begin({{Does::play, 0, 0},
               {Does::later_on, 0, 100},
               {Does::later_off, 0, 300},
               {Does::put_on, 3, 0},
               {Does::end, 0, 0}});
  Script script;
  script.begin(0);
  EXPECT_TRUE(script.serve(99));
  EXPECT_EQ(Told::words, " play0");
  EXPECT_TRUE(script.serve(100));
  EXPECT_EQ(Told::words, " play0 on0");
  Told::playing = false;  // sooner than the second was due: it comes all the same
  EXPECT_FALSE(script.serve(150));
  EXPECT_EQ(Told::words, " play0 on0 off0 on3");
}

TEST(ScriptPlay, LooksForWhatComesFirst) {
  const std::vector<ScriptStep> steps{{Does::look, 0, 0},       {Does::if_on, 0, 5},  {Does::if_off, 1, 7},
                                      {Does::if_after, 0, 500}, {Does::go_to, 0, 9},  {Does::put_on, 0, 0},
                                      {Does::end, 0, 0},        {Does::put_on, 1, 0}, {Does::end, 0, 0},
                                      {Does::put_on, 2, 0},     {Does::end, 0, 0}};
  for (int first = 0; first < 3; ++first) {
    Told::begin(steps);
    Told::inputs[1] = true;
    Script script;
    script.begin(0);
    EXPECT_TRUE(script.serve(100));
    if (first == 0) Told::inputs[0] = true;
    if (first == 1) Told::inputs[1] = false;
    EXPECT_FALSE(script.serve(500));
    EXPECT_EQ(Told::words, " on" + std::to_string(first));
  }
}

TEST(ScriptPlay, FailsWithWhatItIsAbout) {
  Told::begin({{Does::home, 1, 0}, {Does::put_on, 0, 0}, {Does::end, 0, 0}});
  Script script;
  script.begin(0);
  Told::homing = false;
  Told::homed = false;
  EXPECT_FALSE(script.serve(1));
  EXPECT_EQ(script.fault(), ScriptFault::not_homed);
  EXPECT_EQ(script.at(), 0);
  Told::begin({{Does::play, 0, 0}, {Does::put_on, 0, 0}, {Does::end, 0, 0}});
  script.begin(0);
  Told::ended = true;
  EXPECT_FALSE(script.serve(1));
  EXPECT_EQ(script.fault(), ScriptFault::ended);
  EXPECT_EQ(Told::words, " play0") << "nothing more is done";
}

}  // namespace
}  // namespace cogstride::chip
