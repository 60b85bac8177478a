#include "cogstride/board/bus/drive_profile.hpp"

#include <gtest/gtest.h>

#include <string>

namespace cogstride::drive_profile_test {
namespace {

using State = DriveState;

/// The power states of the profile, as a drive goes through them by its control word.
class DrivePower {
 public:
  explicit DrivePower(State state) : state_(state) {}
  void take(std::uint16_t control) {
    const bool fault_rises = (control & 0x80) != 0 && !reset_before_;
    reset_before_ = (control & 0x80) != 0;
    if (state_ == State::fault) {
      if (fault_rises) state_ = State::switch_on_disabled;
      return;
    }
    const int command = control & 0x0f;
    if ((command & 0x02) == 0) {  // disable voltage
      state_ = State::switch_on_disabled;
    } else if ((command & 0x04) == 0) {  // quick stop
      if (state_ == State::enabled)
        state_ = State::quick_stop;
      else if (state_ != State::quick_stop)
        state_ = State::switch_on_disabled;
    } else if ((command & 0x07) == 0x06) {  // shutdown
      if (state_ != State::quick_stop) state_ = State::ready;
    } else if (command == 0x07) {  // switch on, or no more operation
      if (state_ == State::ready || state_ == State::enabled) state_ = State::switched_on;
    } else if (command == 0x0f && state_ == State::switched_on) {
      state_ = State::enabled;
    }
  }
  [[nodiscard]] State state() const { return state_; }

 private:
  State state_;
  bool reset_before_ = false;
};

TEST(DriveProfile, ReadsTheStateOfAStatusWord) {
  EXPECT_EQ(state_of(0x0000), State::not_ready);
  EXPECT_EQ(state_of(0x0250), State::switch_on_disabled);
  EXPECT_EQ(state_of(0x0231), State::ready);
  EXPECT_EQ(state_of(0x0233), State::switched_on);
  EXPECT_EQ(state_of(0x1637), State::enabled);
  EXPECT_EQ(state_of(0x0217), State::quick_stop);
  EXPECT_EQ(state_of(0x021f), State::fault_reaction);
  EXPECT_EQ(state_of(0x023f), State::fault_reaction);
  EXPECT_EQ(state_of(0x0218), State::fault);
  EXPECT_EQ(state_of(0x0238), State::fault);
  // Each word has one state or none.
  for (int word = 0; word < 0x10000; ++word) {
    const auto state = state_of(static_cast<std::uint16_t>(word));
    const auto same = state_of(static_cast<std::uint16_t>(word & 0x6f));
    EXPECT_EQ(state, same) << word;
  }
  EXPECT_FALSE(state_of(0x0001)) << "ready without its bit for no quick stop";
}

TEST(DriveProfile, GoesFromEachStateToEachInAFewWords) {
  for (const State from :
       {State::switch_on_disabled, State::ready, State::switched_on, State::enabled, State::quick_stop})
    for (const State to : {State::switch_on_disabled, State::ready, State::switched_on, State::enabled}) {
      DrivePower power(from);
      int words = 0;
      while (const auto word = control_towards(to, power.state())) {
        power.take(*word);
        ASSERT_LE(++words, 5);
      }
      EXPECT_EQ(power.state(), to) << to_text(from) << " to " << to_text(to);
    }
  DrivePower power(State::enabled);
  power.take(*control_towards(State::quick_stop, State::enabled));
  EXPECT_EQ(power.state(), State::quick_stop);
  EXPECT_FALSE(control_towards(State::enabled, State::fault)) << "a fault is reset on order alone";
  EXPECT_FALSE(control_towards(State::enabled, State::fault_reaction));
}

TEST(DriveProfile, TellsFaultsInWords) {
  EXPECT_EQ(std::string(fault_of(0x3220).what), "its supply's voltage is too low");
  EXPECT_EQ(fault_of(0x7121).code, 0x7121);
  // The nearest that is known, up to its group.
  EXPECT_EQ(fault_of(0x3221).code, 0x3220);
  EXPECT_EQ(fault_of(0x2311).code, 0x2310);
  EXPECT_EQ(fault_of(0x4222).code, 0x4000);
  EXPECT_EQ(fault_of(0x1000).code, 0x1000);
  EXPECT_EQ(fault_of(0).code, 0);
  for (int code = 1; code < 0x10000; ++code) {
    const DriveFault fault = fault_of(static_cast<std::uint16_t>(code));
    ASSERT_NE(std::string(fault.what), "");
    ASSERT_NE(std::string(fault.to_do), "") << code;
  }
}

TEST(DriveProfile, ModesHaveTheBitsOfTheProfile) {
  EXPECT_EQ(mode_bit(DriveMode::profile_position), 0x1U);
  EXPECT_EQ(mode_bit(DriveMode::profile_velocity), 0x4U);
  EXPECT_EQ(mode_bit(DriveMode::torque), 0x8U);
  EXPECT_EQ(mode_bit(DriveMode::cyclic_position), 0x80U);
  EXPECT_EQ(mode_bit(DriveMode::cyclic_torque), 0x200U);
}

}  // namespace
}  // namespace cogstride::drive_profile_test
