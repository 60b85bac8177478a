// A mover's other side on the simulated bench: its physics, what is made of what is asked, and what a run
// came to.
#pragma once

#include <memory>
#include <span>
#include <vector>

#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/motion/motion_record.hpp"
#include "cogstride/plant/shaft_plant.hpp"
#include "cogstride/trace/trace.hpp"
#include "cogstride/trace/verdict.hpp"

namespace cogstride {

struct TwinSetup {
  const Mechanism* mechanism = nullptr;  ///< as it really is; null for a guest
  ShaftPlant::Setup plant{};
  bool is_averaged = false;               ///< its duties are told as shares
  const SimulatedLines* lines = nullptr;  ///< that its mover has; open
};

class Twin {
 public:
  Twin() = default;
  virtual ~Twin() = default;
  Twin(const Twin&) = delete;
  Twin& operator=(const Twin&) = delete;

  /// Null where it has none of its own: a cart.
  [[nodiscard]] virtual Plant* plant() { return nullptr; }
  /// The shaft that its output turns or moves with; null where it has none.
  [[nodiscard]] virtual ShaftPlant* shaft() { return nullptr; }
  /// Its end of the controller's bus; null where it has none.
  [[nodiscard]] virtual BusNode* node() { return nullptr; }
  /// What is made: names and units, and their values now.
  [[nodiscard]] virtual std::vector<TracedSignal> signals() const { return {}; }
  virtual void sample(std::span<double>) const {}
  /// Its mover tells of a motion.
  virtual void noted(const MotionNote&) {}
  /// A motion of its mover failed by itself: that has a cause, whatever else is sound.
  void has_faulted() { faulted_ = true; }
  /// Whether look() is to be called.
  [[nodiscard]] virtual bool wants_looks() const { return false; }
  /// Called each millisecond or more often, with all plants advanced to it.
  virtual void look() {}
  /// Holds what its mover came to against what was made: completes the verdict and complains.
  /// @param seconds  of the run
  virtual void judge(MoverVerdict&, Tick /*now*/, double /*seconds*/) const {}

 protected:
  [[nodiscard]] bool is_faulted() const { return faulted_; }

 private:
  bool faulted_ = false;
};

}  // namespace cogstride
