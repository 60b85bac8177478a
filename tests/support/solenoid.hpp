// A kind of mover that the library does not know: a solenoid that strikes, with its plunger.
#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/bench/simulated/twin.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verb.hpp"

namespace cogstride::testing_support {

inline constexpr LineId solenoid_coil{60};
inline constexpr LineId solenoid_hit{61};

/// Strikes so many times: its coil is on for 20 ms each time, then off for 30 ms. Its plunger closes a
/// contact where it hits; a strike that is not felt is a fault.
class SolenoidMover final : public Mover {
 public:
  static constexpr MoverKind its_kind{"is no solenoid", "solenoid"};

  SolenoidMover(std::string name, MechanismId id, const Controller& controller)
      : Mover(id, std::move(name)),
        on_for_(std::llround(20e-3 * controller.timer_clock.base().to_double())),
        off_for_(std::llround(30e-3 * controller.timer_clock.base().to_double())) {}

  std::shared_ptr<MotionRecord> strike(Lines& lines, int times) {
    log().require_no_obstacle();
    if (times < 1) throw RangeError(fmt::format("{}: {} strikes", name(), times));
    auto record = log().begin(lines.now(), fmt::format("strike {} times", times));
    left_ = times;
    turn(lines, true);
    return record;
  }
  [[nodiscard]] int hits() const { return hits_; }

  [[nodiscard]] const MoverKind& kind() const override { return its_kind; }
  [[nodiscard]] const Mechanism* parts() const override { return nullptr; }
  [[nodiscard]] std::vector<LineSetup> line_setups() const override {
    LineSetup hit{solenoid_hit, name() + ".hit", id(), LineSetup::Use::input};
    hit.source = static_cast<SourceId>(solenoid_hit);
    return {{solenoid_coil, name() + ".coil", id()}, hit};
  }
  [[nodiscard]] bool has_ended() const override { return !log().is_on(); }
  [[nodiscard]] bool is_driven(Tick) const override { return is_on_; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override { return {{"asked", "%"}}; }
  void sample(Tick, std::span<double> values) const override { values[0] = is_on_ ? 100.0 : 0.0; }

  [[nodiscard]] std::string asked(Tick) const override { return fmt::format("{} to go", left_); }
  [[nodiscard]] MoverVerdict came_to(Tick) const override {
    MoverVerdict verdict = began_verdict();
    verdict.sum = fmt::format("felt {} strikes", hits_);
    verdict.add("hits", hits_);
    return verdict;
  }

  void stop(Lines& lines, Braking) override {
    turn(lines, false);
    next_act_ = never;
    log().end(lines.now(), MotionStatus::cancelled);
  }
  void halt(Lines& lines, const Why& why) override {
    turn(lines, false);
    lines_were_cut(lines, why);
  }
  void lines_were_cut(Lines& lines, const Why& why) override {
    is_on_ = false;
    next_act_ = never;
    log().end(lines.now(), why);
  }

  [[nodiscard]] Tick next_act() const override { return next_act_; }
  void act(Lines& lines, std::span<const Reading> readings) override {
    for (const Reading& reading : readings)
      if (reading.source == static_cast<SourceId>(solenoid_hit) && reading.raw == 1) {
        ++hits_;
        has_hit_ = true;
      }
    if (lines.now() < next_act_) return;
    if (!is_on_) {
      turn(lines, true);
    } else if (!has_hit_) {
      turn(lines, false);
      next_act_ = never;
      log().fail(lines.now(), name() + ": its strike was not felt");
    } else {
      turn(lines, false);
      if (--left_ > 0) return;
      next_act_ = never;
      log().end(lines.now(), MotionStatus::done);
    }
  }

 private:
  void turn(Lines& lines, bool on) {
    is_on_ = on;
    if (on) has_hit_ = false;
    const Tick at = lines.now() + lines.lead();
    lines.put(at, std::array{Level{solenoid_coil, on}});
    next_act_ = at + (on ? on_for_ : off_for_);
  }

  Tick on_for_;
  Tick off_for_;
  int left_ = 0;
  int hits_ = 0;
  bool is_on_ = false;
  bool has_hit_ = false;
  Tick next_act_ = never;
};

/// Its plunger: 20 g on a spring, pulled over 4 mm with 8 N while its coil is on, after 2 ms.
class Plunger final : public Plant {
 public:
  explicit Plunger(ExactFrequency clock) : ticks_per_second_(clock.base().to_double()) {}
  [[nodiscard]] double place() const { return state_.place; }
  [[nodiscard]] int full_strokes() const { return state_.full_strokes; }
  void jam() { is_jammed_ = true; }

  [[nodiscard]] std::span<const LineId> hears() const override { return hears_; }
  [[nodiscard]] std::vector<Level> drives() const override {
    return {{solenoid_hit, state_.place >= stroke}};
  }
  void hear(LineId, bool high) override {
    state_.on = high;
    state_.pulls_at = state_.now + std::llround(2e-3 * ticks_per_second_);
  }
  std::optional<LineEdge> advance(Tick until) override {
    const Tick step = std::llround(50e-6 * ticks_per_second_);
    while (state_.now < until) {
      const Tick next = std::min(until, state_.now + step);
      const double seconds = static_cast<double>(next - state_.now) / ticks_per_second_;
      const bool was_there = state_.place >= stroke;
      const double pull = state_.on && state_.now >= state_.pulls_at ? 8.0 : 0.0;
      state_.speed += seconds * (pull - 1.0 - 300.0 * state_.place) / 0.02;
      state_.place += is_jammed_ ? 0.0 : seconds * state_.speed;
      if (state_.place <= 0.0 || state_.place >= stroke || is_jammed_) state_.speed = 0.0;
      state_.place = std::clamp(state_.place, 0.0, stroke);
      state_.now = next;
      if (state_.place >= stroke && !was_there) ++state_.full_strokes;
      if ((state_.place >= stroke) != was_there) return LineEdge{state_.now, solenoid_hit, !was_there};
    }
    return std::nullopt;
  }
  void keep() override { kept_ = state_; }
  void go_back() override { state_ = kept_; }

  static constexpr double stroke = 4e-3;  // m

 private:
  struct State {
    Tick now = 0;
    Tick pulls_at = 0;
    double place = 0.0;  // m
    double speed = 0.0;
    bool on = false;
    int full_strokes = 0;
  };
  double ticks_per_second_;
  std::array<LineId, 1> hears_{solenoid_coil};
  State state_{};
  State kept_{};
  bool is_jammed_ = false;
};

class SolenoidTwin final : public Twin {
 public:
  explicit SolenoidTwin(const TwinSetup& setup) : plunger_(setup.plant.clock) {}
  [[nodiscard]] Plunger& plunger() { return plunger_; }
  [[nodiscard]] Plant* plant() override { return &plunger_; }
  [[nodiscard]] std::vector<TracedSignal> signals() const override { return {{"made", "mm"}}; }
  void sample(std::span<double> values) const override { values[0] = 1e3 * plunger_.place(); }
  void judge(MoverVerdict& verdict, Tick, double) const override {
    verdict.add("full_strokes", plunger_.full_strokes());
    verdict.looked_at.push_back("strikes felt against strikes made");
    if (verdict.figure("hits") != plunger_.full_strokes())
      verdict.complaints.push_back(
          fmt::format("{} strikes were felt, and {} made", verdict.figure("hits"), plunger_.full_strokes()));
  }

 private:
  Plunger plunger_;
};

/// @param twin  is told where its twin stands
inline Guest solenoid(const std::string& name, SolenoidTwin** twin = nullptr) {
  Guest guest;
  guest.name = name;
  guest.mover = [name](MechanismId id, const Controller& controller) {
    return std::make_unique<SolenoidMover>(name, id, controller);
  };
  guest.twin = [twin](Mover&, const TwinSetup& setup) {
    auto made = std::make_unique<SolenoidTwin>(setup);
    if (twin != nullptr) *twin = made.get();
    return made;
  };
  return guest;
}

/// strike striker 3 times
class Strike final : public Verb {
 public:
  Strike(std::string name, int times) : name_(std::move(name)), times_(times) {}
  void foresee(const Statement&, Walk& walk) const override {
    walk.known.length.seconds += 0.02 * times_ + 0.03 * (times_ - 1);
  }
  [[nodiscard]] bool has_known_length() const override { return true; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    for (Mover* const guest : stage.cast.guests)
      if (guest->name() == name_)
        return std::make_unique<Motions>(std::vector{as<SolenoidMover>(*guest)->strike(stage.lines, times_)});
    throw RangeError(name_ + ": is no solenoid here");
  }

 private:
  std::string name_;
  int times_;
};

inline std::unique_ptr<Verb> read_strike(LineReader& reader) {
  const std::string name(reader.word("a solenoid").text);
  const auto times = static_cast<int>(reader.count("a count such as 3", 1, 1000));
  reader.expect("times");
  return std::make_unique<Strike>(name, times);
}
inline constexpr VerbWord strike_verb{"strike", read_strike};

}  // namespace cogstride::testing_support
