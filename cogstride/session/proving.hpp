// The first evening with a mechanism: it is brought up stage by stage, and somebody who stands beside it says
// whether what happens is right. At the first no it stops, with what to look at.
//
//   ProvingResult result = prove(rig, "traverse", open_bench, bystander);
//   result.proven;    // {"coil pairs", "rest levels", "enable", ...}
//   result.look_at;   // empty when all of it was right
//
// Nothing needs a home for it: the mechanism stands at 0 when it is switched on, and makes short moves at a
// slow speed. A motor that turns the wrong way is turned round in the rig (`reversed`), and tried again.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/bench/bench.hpp"

namespace cogstride {

/// Who stands beside the mechanism.
class Bystander {
 public:
  virtual ~Bystander() = default;
  /// Something is about to happen, or has been seen on the lines.
  virtual void told(const std::string& words) = 0;
  /// Yes or no. The bench is served meanwhile, where its time passes by itself.
  virtual bool asked(Bench& bench, const std::string& question) = 0;
  /// Is asked to make a switch act with a finger, or to let it go. Serves the bench until `is_so`.
  /// @return whether it came to that; false when the bystander gave up
  virtual bool touches(Bench& bench, const PlaceSwitch& place_switch, bool acts,
                       const std::function<bool()>& is_so) = 0;
  /// A stage was right; or the mechanism was turned round.
  virtual void proved(const std::string& stage) = 0;
  virtual void turned_round(bool reversed) = 0;
};

/// Opens a bench for a rig of the one mechanism. Benches are opened one after the other, never two at once.
using OpenBench = std::function<std::unique_ptr<Bench>(const Rig&)>;

struct ProvingResult {
  std::vector<std::string> proven{};  ///< stages that were right, those given as proven before among them
  std::string failed{};               ///< the stage that was not; empty: none
  std::string look_at{};              ///< what is wrong then, and what to look at
  bool reversed = false;              ///< what `reversed` of the mechanism is now
};

/// The stages of a mechanism, in their order.
[[nodiscard]] std::vector<std::string> proving_stages(const Mechanism& mechanism);

/// The rig as it is opened for proving: the mechanism alone, without homing and soft limits.
[[nodiscard]] Rig rig_to_prove(const Rig& rig, const std::string& mechanism);

/// Leads through the stages that are not among `proven_before`.
/// @throws RangeError when the rig has no such mechanism, or it is of a kind that cannot be moved so far
[[nodiscard]] ProvingResult prove(const Rig& rig, const std::string& mechanism, const OpenBench& open,
                                  Bystander& bystander, const std::vector<std::string>& proven_before = {});

}  // namespace cogstride
