// Line changes as a value change dump (IEEE 1364-2005, clause 18), for any waveform viewer.
//
// One-bit wires, grouped by mechanism. Times are rounded to the dump's time unit without ever merging or
// reordering the edges of a line: an edge that would fall on the last one of its line comes one unit later.
#pragma once

#include <string>
#include <vector>

#include "cogstride/files/output_file.hpp"
#include "cogstride/quantity/ratio.hpp"
#include "cogstride/trace/trace.hpp"

namespace cogstride {

class VcdWriter final : public TraceSink {
 public:
  /// @param unit_ns  the time unit: 1 shows gaps of gates and encoders as they are
  explicit VcdWriter(const std::string& path, OutputFile::Existing existing = OutputFile::Existing::replaced,
                     int unit_ns = 1)
      : file_(path, existing), unit_ns_(unit_ns) {}

  void begin(const TraceLayout& layout) override;
  void edge(Tick at, LineId line, bool high) override;
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent&) override {}
  void end(Tick at) override;

 private:
  struct Wire {
    std::string code;
    std::int64_t last = 0;  // unit of its last change; its first value stands at 0
  };

  [[nodiscard]] std::int64_t units(Tick at) const;
  void stamp(std::int64_t unit);
  void flush();

  OutputFile file_;
  int unit_ns_;
  Ratio half_units_per_tick_;
  Tick last_quick_ = 0;                     // up to here 64 bits hold the sum
  std::vector<std::int32_t> wire_of_line_;  // by line number, -1: not shown
  std::vector<Wire> wires_;
  std::int64_t stamped_ = -1;
  std::string buffer_;
};

}  // namespace cogstride
