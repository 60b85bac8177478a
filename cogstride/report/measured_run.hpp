// What was measured on the real machine, laid over a rehearsal of the same script.
//
//   time_s, throttle_percent, current_A, temperature_degC     columns without a mechanism's name are of the
//   0,      0,                0.02,      21.5                 one that the script moves
//
// A column is named as `rehearse --csv` names it: a signal and its unit, in any unit of that dimension; its
// time counts from the beginning of the script. A temperature is taken as a rise over its first row's.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "cogstride/rig/diagnostic.hpp"
#include "cogstride/trace/trace.hpp"

namespace cogstride {

/// One measured signal, and how far the rehearsal is from it.
struct MeasuredSignal {
  std::string name{};                               ///< of the rehearsed signal: "fan.current"
  std::string unit{};                               ///< of that signal, and of all that follows
  std::vector<std::pair<double, double>> points{};  ///< s, value
  std::size_t compared = 0;                         ///< of them; others lie outside the run
  double mean_off = 0.0;                            ///< measured less rehearsed, on average
  double rms = 0.0;                                 ///< of that difference
  double most = 0.0;                                ///< the largest, its sign kept
  double most_at = 0.0;                             ///< s
  double least_measured = 0.0;
  double most_measured = 0.0;
};

/// Listens to a run and holds it against a table as it goes by.
class MeasuredOver final : public TraceSink {
 public:
  /// @param shown  mechanism whose signals need no name before them
  /// @throws Error when the file cannot be read
  MeasuredOver(std::string path, std::string shown);

  /// @throws InputError with all that is wrong in the table
  void begin(const TraceLayout& layout) override;
  void edge(Tick, LineId, bool) override {}
  void sample(Tick at, std::span<const double> values) override;
  void event(const TraceEvent&) override {}
  void end(Tick) override;

  [[nodiscard]] const std::vector<MeasuredSignal>& signals() const { return signals_; }
  [[nodiscard]] const std::string& path() const { return path_; }

 private:
  struct Column {
    std::size_t place = 0;  ///< among the signals of the run
    std::size_t next = 0;   ///< point that comes next
    double squares = 0.0;
  };
  std::string path_;
  std::string shown_;
  std::string text_;
  TraceLayout layout_{};
  std::vector<MeasuredSignal> signals_{};
  std::vector<Column> columns_{};
  std::vector<double> before_{};
  double before_at_ = 0.0;
};

/// "300 readings, 0.021 A rms apart (3 % of what it goes through); on average 0.01 A more than rehearsed,
/// ..."
[[nodiscard]] std::string agreement_words(const MeasuredSignal& signal);

}  // namespace cogstride
