// Sampled signals and line levels as comma-separated values, one row a sample, ticks first.
#pragma once

#include <string>
#include <vector>

#include "cogstride/files/output_file.hpp"
#include "cogstride/trace/trace.hpp"

namespace cogstride {

class CsvWriter final : public TraceSink {
 public:
  explicit CsvWriter(const std::string& path, OutputFile::Existing existing = OutputFile::Existing::replaced)
      : file_(path, existing) {}

  void begin(const TraceLayout& layout) override;
  void edge(Tick at, LineId line, bool high) override;
  void sample(Tick at, std::span<const double> values) override;
  void event(const TraceEvent&) override {}
  void end(Tick at) override;

 private:
  OutputFile file_;
  TraceLayout layout_;
  std::vector<bool> levels_;
  std::string row_;
};

}  // namespace cogstride
