// wait 0.5 s; wait until pedal is on for at most 10 s; wait until traverse passes 60 mm; wait until
// panel.station is heard
#include <fmt/format.h>

#include <algorithm>
#include <functional>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/devices/heard.hpp"
#include "cogstride/motion/gearing/follow.hpp"
#include "cogstride/motion/inputs.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/patience.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

constexpr std::int64_t most_said = 1'000'000'000;
constexpr ExactTime passing_is_looked_for_each = ExactTime::from_base({1, 1000});  // for a place to be passed

class WaitTime final : public Verb {
 public:
  explicit WaitTime(ExactTime pause) : pause_(pause) {}
  void foresee(const Statement&, Walk& walk) const override {
    walk.known.length.seconds += pause_.base().to_double();
  }
  [[nodiscard]] bool has_known_length() const override { return true; }
  [[nodiscard]] bool can_be_played_back() const override { return true; }
  [[nodiscard]] std::optional<ExactTime> pause() const override { return pause_; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    return std::make_unique<Waiting>(stage.lines.now() + stage.ticks(pause_));
  }

 private:
  class Waiting final : public Doing {
   public:
    explicit Waiting(Tick until) : until_(until) {}
    [[nodiscard]] bool is_over(Tick now) const override { return now >= until_; }
    [[nodiscard]] Tick wakes_at() const override { return until_; }

   private:
    Tick until_;
  };

  ExactTime pause_;
};

/// Until something is so that is known as soon as it is read: a line, what a device says.
class WaitUntil final : public Verb {
 public:
  /// Whether it has come about, from the begin of the statement on.
  using HasCome = std::function<bool()>;
  /// @param begin  asked when the statement begins @param what  "pedal was not on": said where it does not
  /// come
  /// @param line  where it is one of the rig's
  WaitUntil(std::function<HasCome(const Cast&)> begin, std::string what, std::optional<ExactTime> longest,
            std::optional<AwaitedLine> line = {})
      : begin_(std::move(begin)), what_(std::move(what)), longest_(longest), line_(std::move(line)) {}
  [[nodiscard]] std::optional<Awaited> awaits() const override {
    if (!line_) return std::nullopt;
    return Awaited{line_->line, line_->acts, longest_};
  }
  void foresee(const Statement&, Walk& walk) const override { walk.known.length.is_whole = false; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    return std::make_unique<Waiting>(begin_(stage.cast), what_, Patience(stage, longest_));
  }

 private:
  class Waiting final : public Doing {
   public:
    Waiting(HasCome has_come, const std::string& what, Patience patience)
        : has_come_(std::move(has_come)), what_(what), patience_(patience) {}
    [[nodiscard]] bool is_over(Tick) const override { return has_come_(); }
    [[nodiscard]] std::string failure(Tick now) const override {
      if (!patience_.is_out(now) || is_over(now)) return {};
      return fmt::format("{} within {}", what_, patience_.waited(now));
    }
    [[nodiscard]] Tick wakes_at() const override { return patience_.until(); }

   private:
    HasCome has_come_;
    const std::string& what_;
    Patience patience_;
  };

  std::function<HasCome(const Cast&)> begin_;
  std::string what_;
  std::optional<ExactTime> longest_;
  std::optional<AwaitedLine> line_;
};

std::string was_not(const std::string& name, bool on) {
  return fmt::format("{} was not {}", name, on ? "on" : "off");
}

class WaitPlace final : public Verb {
 public:
  WaitPlace(std::size_t mechanism, OutputPosition passes, std::optional<ExactTime> longest)
      : mechanism_(mechanism), passes_(passes), longest_(longest) {}
  void foresee(const Statement&, Walk& walk) const override { walk.known.length.is_whole = false; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    return std::make_unique<Waiting>(stage, *stage.cast.mechanisms[mechanism_], passes_,
                                     Patience(stage, longest_));
  }

 private:
  class Waiting final : public Doing {
   public:
    Waiting(const Stage& stage, Mover& mover, OutputPosition passes, Patience patience)
        : mover_(mover),
          passes_(passes),
          patience_(patience),
          between_looks_(ticks_at_least(passing_is_looked_for_each, stage.cast.clock)),
          came_from_(side(stage.lines.now())),
          looks_at_(stage.lines.now() + between_looks_) {}
    [[nodiscard]] bool is_over(Tick now) const override { return came_from_ && side(now) != came_from_; }
    [[nodiscard]] std::string failure(Tick now) const override {
      if (!patience_.is_out(now) || is_over(now)) return {};
      return fmt::format("it was not passed within {}", patience_.waited(now));
    }
    [[nodiscard]] Tick wakes_at() const override { return looks_at_; }
    void act(Lines& lines) override { looks_at_ = lines.now() + between_looks_; }

   private:
    /// Below the place that is to be passed or not; of an angle of a ring, between which two of its passings.
    /// Nothing where nobody knows.
    [[nodiscard]] std::optional<std::int64_t> side(Tick now) const {
      Places* const places = mover_.places();
      const auto at = places == nullptr ? std::nullopt : places->position(now);
      if (!at) return std::nullopt;
      const Ratio beyond = at->base - passes_.base;
      const Mechanism& mechanism = *mover_.parts();
      const bool on_a_ring =
          !mechanism.limits.travel_from && output_kind(mechanism.train) == OutputKind::rotary;
      return on_a_ring ? beyond.floor() : beyond < Ratio(0) ? -1 : 0;
    }

    Mover& mover_;
    OutputPosition passes_;
    Patience patience_;
    Tick between_looks_;
    std::optional<std::int64_t> came_from_;
    Tick looks_at_;
  };

  std::size_t mechanism_;
  OutputPosition passes_;
  std::optional<ExactTime> longest_;
};

/// Until a follower has followed so much of its leader's way, or laid so many layers.
class WaitFollowed final : public Verb {
 public:
  struct What {
    std::optional<OutputPosition> way{};  ///< of the leader
    std::int64_t layers = 0;
  };
  WaitFollowed(std::size_t mechanism, What what, std::optional<ExactTime> longest)
      : mechanism_(mechanism), what_(what), longest_(longest) {}
  void foresee(const Statement&, Walk& walk) const override {
    if (walk.standing(mechanism_).follows == nullptr)
      throw RangeError(fmt::format("{} follows nothing here", walk.rig.mechanisms[mechanism_].name));
    walk.known.length.is_whole = false;
  }
  [[nodiscard]] std::optional<Followed> followed() const override {
    if (longest_ || !what_.way) return std::nullopt;
    return Followed{mechanism_, *what_.way};
  }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    return std::make_unique<Waiting>(stage, *stage.cast.mechanisms[mechanism_], what_,
                                     Patience(stage, longest_));
  }

 private:
  class Waiting final : public Doing {
   public:
    Waiting(const Stage& stage, Mover& mover, What what, Patience patience)
        : mover_(mover),
          what_(what),
          patience_(patience),
          between_looks_(ticks_at_least(passing_is_looked_for_each, stage.cast.clock)),
          looks_at_(stage.lines.now()) {}
    [[nodiscard]] bool is_over(Tick) const override {
      const Follow* const follow = following();
      if (follow == nullptr) return false;
      if (!what_.way) return follow->gear().layers_done() >= what_.layers;
      return follow->has_followed(what_.way->base);
    }
    [[nodiscard]] std::string failure(Tick now) const override {
      if (following() == nullptr) return mover_.name() + " follows nothing any more";
      if (!patience_.is_out(now) || is_over(now)) return {};
      return fmt::format("that was not so within {}", patience_.waited(now));
    }
    [[nodiscard]] Tick wakes_at() const override { return looks_at_; }
    void act(Lines& lines) override { looks_at_ = lines.now() + between_looks_; }

   private:
    [[nodiscard]] const Follow* following() const {
      Follows* const follows = mover_.follows();
      return follows == nullptr ? nullptr : follows->following();
    }

    Mover& mover_;
    What what_;
    Patience patience_;
    Tick between_looks_;
    Tick looks_at_;
  };

  std::size_t mechanism_;
  What what_;
  std::optional<ExactTime> longest_;
};

std::optional<ExactTime> read_longest(LineReader& reader, bool has_longest) {
  if (!has_longest || !reader.take("for")) return std::nullopt;
  reader.expect("at");
  reader.expect("most");
  return reader.time("a time such as 10 s");
}

/// "traverse has followed 400 turns", "traverse has laid 7 layers"
std::unique_ptr<Verb> read_followed(LineReader& reader, bool has_longest) {
  using Moved = LineReader::Moved;
  const std::size_t mechanism =
      reader.mechanism({Moved::by_steps, Moved::by_duty, Moved::six_step, Moved::on_bus});
  reader.expect("has");
  WaitFollowed::What what;
  if (reader.take("laid")) {
    what.layers = reader.count("a number of layers such as 7", 1, 1'000'000'000);
    if (!reader.take("layer")) reader.expect("layers");
  } else {
    reader.expect("followed");
    what.way = reader.exact_way("so much of its leader's way, such as 400 turns");
  }
  return std::make_unique<WaitFollowed>(mechanism, what, read_longest(reader, has_longest));
}

/// "panel.station is heard", "panel.station is 5", "pad.go is on"
std::unique_ptr<Verb> read_heard(LineReader& reader, std::size_t place, const SaidControl& control,
                                 bool has_longest) {
  using Says = SaidControl::Says;
  const Word name = reader.word("a control");
  if (control.says == Says::share)
    throw LineReader::wrong(
        name, fmt::format("{} is turned, and not heard: a statement follows its value", control.name));
  reader.expect("is");
  if (control.says == Says::hold) {
    const bool on = reader.on_or_off();
    const auto begin = [place, on](const Cast& cast) -> WaitUntil::HasCome {
      return [&heard = *cast.heard, place, on] { return heard.is_held(place) == on; };
    };
    return std::make_unique<WaitUntil>(begin, was_not(control.name, on), read_longest(reader, has_longest));
  }
  std::optional<std::int64_t> number;
  if (!reader.take("heard")) {
    if (control.says != Says::number) reader.expect("heard");
    number = reader.count("'heard', or the number that it says", -most_said, most_said);
  }
  const auto begin = [place, number](const Cast& cast) -> WaitUntil::HasCome {
    return [&heard = *cast.heard, place, number, times = cast.heard->times(place)] {
      return number ? heard.has_said(place, *number, times) : heard.times(place) > times;
    };
  };
  const std::string what = number ? fmt::format("{} {}", control.name, *number) : control.name;
  return std::make_unique<WaitUntil>(begin, what + " was not heard", read_longest(reader, has_longest));
}

}  // namespace

std::unique_ptr<Verb> read_wait(LineReader& reader) {
  if (reader.take("until")) return read_happening(reader, true);
  return read_pause(reader);
}

std::unique_ptr<Verb> read_pause(LineReader& reader) {
  return std::make_unique<WaitTime>(reader.time("a time such as 0.5 s"));
}

std::unique_ptr<Verb> read_happening(LineReader& reader, bool has_longest) {
  const Rig& rig = reader.rig();
  const Word name = reader.peek();
  const bool is_mechanism = std::any_of(rig.mechanisms.begin(), rig.mechanisms.end(),
                                        [&](const Mechanism& each) { return each.name == name.text; });
  if (is_mechanism) {
    if (LineReader ahead = reader; (void)ahead.word("a mechanism"), ahead.next_is("has"))
      return read_followed(reader, has_longest);
    const std::size_t mechanism = reader.mechanism();
    reader.expect("passes");
    const OutputPosition passes = reader.position(rig.mechanisms[mechanism], "a position such as 60 mm");
    return std::make_unique<WaitPlace>(mechanism, passes, read_longest(reader, has_longest));
  }
  const std::vector<SaidControl> said = said_controls(rig);
  for (std::size_t i = 0; i < said.size(); ++i)
    if (said[i].name == name.text) return read_heard(reader, i, said[i], has_longest);
  AwaitedLine awaits = reader.input();
  reader.expect("is");
  awaits.acts = reader.on_or_off();
  const auto begin = [awaits](const Cast& cast) -> WaitUntil::HasCome {
    return [&inputs = *cast.inputs, awaits] { return inputs.acts(awaits.line) == awaits.acts; };
  };
  return std::make_unique<WaitUntil>(begin, was_not(awaits.name, awaits.acts),
                                     read_longest(reader, has_longest), awaits);
}

}  // namespace cogstride
