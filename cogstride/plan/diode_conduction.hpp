// How long the transistors of a bridge must be on in each period for a mean current, where diodes take it in
// the rest.
//
// On, the supply V drives the current; off, a diode's drop v stands against it where one transistor is
// switched, and the supply and two diodes where both are: u. Where the current flows all the time,
//
//   s V = d V - (1 - d) u               so   d = (s V + u) / (V + u)
//
// and where it dies away within each period T, a triangle of mean I, e the back-EMF (R. Erickson, D.
// Maksimovic, "Fundamentals of Power Electronics", 2001, ch. 5: discontinuous conduction):
//
//   I = d^2 T (V - e) (V + u) / (2 L (e + u))
//
// The lesser of the two is the one that holds. Without it a motor that runs light hardly answers to its duty,
// and a loop that was made for one that carries current hunts.
#pragma once

#include <algorithm>
#include <cmath>

namespace cogstride {

struct DiodeConduction {
  double volts = 0.0;       ///< of the supply
  double resistance = 0.0;  ///< ohm, of what the current flows through
  double inductance = 0.0;  ///< H
  double period = 0.0;      ///< s
  double against = 0.0;     ///< V, that stand against the current in the rest of a period

  /// @param share  of the supply that is wanted on average, 0 to 1; @param emf  back-EMF, as a share of it
  /// @return share of the period, 0 to 1
  [[nodiscard]] double on_share(double share, double emf) const {
    const double current = (share - emf) * volts / resistance;
    if (current <= 0.0) return 0.0;
    const double always = (share * volts + against) / (volts + against);
    const double e = std::min(emf, 0.99) * volts;
    const double falls = e + against;  // V
    if (falls <= 0.0) return std::min(1.0, always);
    const double dies =
        std::sqrt(2.0 * current * inductance * falls / (period * (volts - e) * (volts + against)));
    return std::min({1.0, always, dies});
  }
};

}  // namespace cogstride
