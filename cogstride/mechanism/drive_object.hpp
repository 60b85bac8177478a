// Objects of a drive on a bus that its profile does not have, as a rig names them.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

/// Where it lies, and how long it is.
struct DriveObject {
  std::int64_t index = 0;  ///< 0 to FFFF
  std::int64_t sub = 0;    ///< 0 to FF
  bool is_signed = false;
  std::int64_t bits = 16;  ///< 8, 16 or 32

  friend bool operator==(const DriveObject&, const DriveObject&) = default;
};

/// An object that says an amount, and what one of it is worth.
template <class Amount>
struct DriveAmount {
  DriveObject object{};
  Amount worth{};

  friend bool operator==(const DriveAmount&, const DriveAmount&) = default;
};

/// A value that is written to a drive when it is brought up.
struct DriveSetting {
  DriveObject object{};
  std::int64_t value = 0;

  friend bool operator==(const DriveSetting&, const DriveSetting&) = default;
};

/// Reads "2010:01 u16": index and part in hexadecimal digits, then i or u and its bits. @throws TextError
[[nodiscard]] DriveObject parse_drive_object(std::string_view text);
/// Reads "2010:01 u16 = 1". @throws TextError, also for a value that the object does not hold
[[nodiscard]] DriveSetting parse_drive_setting(std::string_view text);
[[nodiscard]] std::string to_text(const DriveObject& object);
[[nodiscard]] std::string to_text(const DriveSetting& setting);
/// Whether an object of this length holds it.
[[nodiscard]] bool holds(const DriveObject& object, std::int64_t value);

}  // namespace cogstride
