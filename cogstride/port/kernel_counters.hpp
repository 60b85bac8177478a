// Counters of the operating system: counts of the chips that a rig names, by their attributes and their
// character devices.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/mechanism/controller.hpp"
#include "cogstride/port/counter_port.hpp"
#include "cogstride/port/descriptor.hpp"

namespace cogstride {

/// Whether a counter chip of the rig counts the encoder with that line A.
[[nodiscard]] bool has_counter_chip(const Controller& controller, std::int64_t line_a);

class KernelCounters final : public CounterPort {
 public:
  /// Has them count each edge of both lines, and takes note of where they stand.
  /// @param lines_a  line A of each encoder that is counted so @param folder, devices  where the kernel's
  /// counters are, and their character devices
  /// @throws Error when a chip of the rig is not there, lacks a count, or cannot count so
  KernelCounters(const Controller& controller, const std::vector<LineId>& lines_a,
                 const std::string& folder = "/sys/bus/counter/devices", const std::string& devices = "/dev");
  ~KernelCounters() override;

  [[nodiscard]] bool has(LineId line_a) const override { return counts_.contains(line_a); }
  [[nodiscard]] bool tells_times(LineId line_a) const override;
  [[nodiscard]] PortCount read(LineId line_a) override;
  /// "count 0 of counter0 (eqep)"
  [[nodiscard]] std::string name_of(LineId line_a) const;

 private:
  struct Chip;
  struct Count;
  Chip& chip_of(const CounterChip& wanted, const std::string& folder, const std::string& devices);
  void take(Chip& chip, LineId line_a, std::int64_t number);

  std::vector<std::unique_ptr<Chip>> chips_;
  std::map<LineId, std::unique_ptr<Count>> counts_;
};

}  // namespace cogstride
