// Follows an encoder and holds it against what a mover does.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <utility>

#include "cogstride/motion/measured.hpp"
#include "cogstride/motion/participant.hpp"

namespace cogstride {

class CountCheck : public Participant {
 public:
  /// Told when the two differ by more than they may, with the evidence.
  void on_loss(std::function<void(const std::string&)> listener) { listener_ = std::move(listener); }
  /// The lines were cut: asks for its counts again.
  virtual void read_again() = 0;
  /// The mover has found its zero, and stands: the count belongs to it.
  virtual void mover_is_zeroed() {}
  /// What the encoder says; nothing when it only stands beside.
  [[nodiscard]] virtual std::optional<Measured> measured() const { return std::nullopt; }

 protected:
  void tell_loss(const std::string& why) const {
    if (listener_) listener_(why);
  }

 private:
  std::function<void(const std::string&)> listener_;
};

}  // namespace cogstride
