// What a chip behind a link does by itself with its encoders, for planning that is far away: it counts,
// closes loops, gears axes, and tells of it.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <span>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/link/link_map.hpp"
#include "cogstride/link/link_talk.hpp"
#include "cogstride/link/tick_clock.hpp"

namespace cogstride {

class LinkReactions {
 public:
  /// @param talk, clock  must outlive it
  LinkReactions(LinkTalk& talk, const TickClock& clock) : talk_(talk), clock_(clock) {}

  /// Those of them that the chip has. @param axis_of  the lines whose runs are an axis's
  void begin(const LinkMap& map, std::span<const CounterSetup> counters, std::span<const LoopSetup> loops,
             std::span<const GearSetup> gears, const std::map<LineId, std::size_t>& axis_of);
  [[nodiscard]] std::vector<CounterSetup> counters() const;

  /// A reading of one of them. @param tell  what planning is to learn
  void hear(const LinkMessage& message, const std::function<void(const Reading&)>& tell);
  /// An axis stands. @return what tells of it, if it was geared until now
  std::optional<SourceId> let_go(std::size_t axis);

  /// As of Lines. @return false: that is not closed, or geared, there
  bool hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted);
  bool gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what);
  void let_go(Tick at, LineId line);

  [[nodiscard]] bool answers(SourceId source) const;
  /// @return the channel that is to be sampled then; null: it is as it is to be
  std::optional<int> sample(SourceId source, Tick first, Tick period);
  /// Nothing is sampled any more.
  void forget_samples();

 private:
  /// An encoder that the chip counts.
  struct Counter {
    CounterSetup setup{};
    std::uint8_t place = 0;    // in the map
    std::int64_t count = 0;    // as it was told last
    Tick counted_at = 0;       // its last one
    bool tells_count = false;  // which of the two is asked for
    bool tells_edge = false;
    Tick first = never;  // asked for last
    Tick period = 0;
  };
  /// A loop that the chip closes.
  struct Loop {
    LoopSetup setup{};
    std::uint8_t place = 0;    // in the map
    std::uint8_t counter = 0;  // that it goes by
    bool is_made = false;      // the chip has been told how
    std::int32_t yielded = 0;  // 1/16 count, as it was told last
  };
  /// An axis that the chip can gear to a count.
  struct Gear {
    GearSetup setup{};
    std::uint8_t axis = 0;
    std::optional<std::uint8_t> counter{};  // by which it goes
  };
  using Tell = std::function<void(const Reading&)>;

  void counted(const LinkMessage& message, const Tell& tell);
  void held(const LinkMessage& message, const Tell& tell);
  void make(Loop& loop);

  LinkTalk& talk_;
  const TickClock& clock_;
  std::vector<Counter> counters_{};
  std::vector<Loop> loops_{};
  std::vector<Gear> gears_{};
};

}  // namespace cogstride
