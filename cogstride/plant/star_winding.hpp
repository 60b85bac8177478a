// Three phases of a motor in a star, as an electric circuit: currents over a time in which nothing is
// switched.
//
//   v_k - v_n - e_k = R i_k + n_k . (L dI/dt + w dL/da I),    sum i_k = 0
//
// I is the current in the plane of the windings, i_k = n_k . I with n_k the axis of phase k; L has the
// inductance L_d along the magnets and L_q across them (R. Krishnan, "Permanent Magnet Synchronous and
// Brushless DC Motor Drives", 2010, ch. 3). With the rotor held where it is, the currents are exponentials:
// one where two terminals are joined, two (along the magnets and across) where three are. The voltage by
// which a turning rotor changes L is that of the current at the beginning. A diode that runs dry ends the
// time there.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

namespace cogstride {

/// What a terminal of the motor is joined to.
enum class Joined : std::uint8_t { nothing, ground, supply };

struct Terminal {
  Joined joined = Joined::nothing;
  double volts = 0.0;
  bool by_diode = false;  ///< current flows one way alone
};

class StarWinding {
 public:
  using Three = std::array<double, 3>;
  /// One value a terminal.
  using Terminals = std::array<Terminal, 3>;
  static constexpr double nothing_flows = 1e-9;  ///< A: less than this through a diode is none

  /// @param inductance  H of a phase, mean of L_d and L_q; @param saliency  (L_q - L_d) / (L_q + L_d)
  StarWinding(double inductance, double saliency)
      : along_(inductance * (1.0 - saliency)), across_(inductance * (1.0 + saliency)) {}

  /// How the rotor stands for a while.
  struct Rotor {
    Three emf{};              ///< V, of each phase
    double magnets = 0.0;     ///< rad, electrical, of its magnets' axis from that of phase A
    double speed = 0.0;       ///< rad/s, electrical
    double resistance = 0.0;  ///< ohm of a phase and what is before it
  };

  struct Passed {
    double seconds = 0.0;
    double from_supply = 0.0;  ///< A, mean
    double squares = 0.0;      ///< A^2, sum over the phases of the squares' means
    double reluctance = 0.0;   ///< A^2 s, of i_d i_q
    Three charges{};           ///< A s
  };
  /// Lets currents flow for `seconds`, or until a diode runs dry. @param current  A, changed
  [[nodiscard]] Passed flow(const Terminals& terminals, const Rotor& rotor, double seconds,
                            Three& current) const;

  /// Voltages of all three, those that float included. @pre one is joined at the least
  [[nodiscard]] Three volts(const Terminals& terminals, const Rotor& rotor, const Three& current) const;

  /// N m an A^2 and pole pair, by what i_d i_q is worth.
  [[nodiscard]] double reluctance_torque() const { return 1.5 * (along_ - across_); }
  [[nodiscard]] bool is_salient() const { return along_ != across_; }

 private:
  /// An exponential that takes part in the phases' currents.
  struct Mode {
    Three share{};
    double before = 0.0;
    double goes_to = 0.0;
    double time_constant = 1.0;
  };
  struct Modes {
    std::array<Mode, 2> mode{};
    std::size_t count = 0;
  };
  [[nodiscard]] Modes modes_of(const Terminals& terminals, const Rotor& rotor, const Three& current) const;
  [[nodiscard]] Mode two_joined(std::size_t in, std::size_t out, double volts, const Rotor& rotor,
                                double current) const;
  [[nodiscard]] static double dry_at(const Modes& modes, std::size_t phase, double seconds);

  double along_;
  double across_;
};

}  // namespace cogstride
