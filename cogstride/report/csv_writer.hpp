// Sampled signals and line levels as comma-separated values, one row a sample, ticks first.
#pragma once

#include <string>
#include <vector>

#include "cogstride/files/output_file.hpp"
#include "cogstride/trace/trace.hpp"

namespace cogstride {

class CsvWriter final : public TraceSink {
 public:
  /// @param each  s from one row to the next at the least; 0: a row for each sample
  explicit CsvWriter(const std::string& path, OutputFile::Existing existing = OutputFile::Existing::replaced,
                     double each = 0.0)
      : file_(path, existing), each_(each) {}

  void begin(const TraceLayout& layout) override;
  void edge(Tick at, LineId line, bool high) override;
  void sample(Tick at, std::span<const double> values) override;
  void event(const TraceEvent&) override {}
  void end(Tick at) override;

 private:
  OutputFile file_;
  double each_;
  double next_ = 0.0;  // s, of its next row
  TraceLayout layout_;
  std::vector<bool> levels_;
  std::string row_;
};

}  // namespace cogstride
