// The objects of a device that stands in for a real one on a CANopen bus, and how it answers for them: the
// other end of ObjectAccess (CiA 301).
//
//   DeviceObjects objects(11);
//   objects.add({objects::profile_velocity, DeviceObjects::Access::both, 0, 100'000});
//   if (const auto answer = objects.answer(frame)) ...
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <string>

#include "cogstride/board/bus/object_access.hpp"

namespace cogstride {

class DeviceObjects {
 public:
  enum class Access : std::uint8_t { read, write, both };
  struct Entry {
    BusObject object{};
    Access access = Access::both;
    std::int64_t value = 0;
    std::int64_t least = INT64_MIN;  ///< beyond these it refuses
    std::int64_t most = INT64_MAX;
    std::string text{};
    /// Why it refuses a value just now: an abort code, 0: it does not.
    std::function<std::uint32_t(std::int64_t)> refuses{};
    /// What it makes of a value that is written: another one, rounded.
    std::function<std::int64_t(std::int64_t)> takes{};
  };

  /// @param id  of the device, 1 to 127
  explicit DeviceObjects(int id);

  void add(Entry entry);
  /// @throws RangeError when it has no such object
  [[nodiscard]] std::int64_t value(const BusObject& object) const;
  void set(const BusObject& object, std::int64_t value);
  [[nodiscard]] bool has(const BusObject& object) const;
  /// As it was added. @throws RangeError when it has no such object
  [[nodiscard]] const BusObject& named(const BusObject& object) const;
  /// All values as they were added.
  void restore();

  /// To a frame that asks it for something. @return nothing: it does not
  [[nodiscard]] std::optional<Frame> answer(const Frame& frame);

 private:
  using Key = std::pair<std::uint16_t, std::uint8_t>;
  static Key key_of(const BusObject& object) { return {object.index, object.sub}; }
  [[nodiscard]] Frame refusal(const Frame& asked, std::uint32_t code) const;
  [[nodiscard]] Frame told(const Frame& asked, const Entry& entry);
  [[nodiscard]] Frame next_segment(bool toggle);
  [[nodiscard]] Frame written(const Frame& asked, Entry& entry);

  int id_;
  std::map<Key, Entry> entries_{};
  std::map<Key, std::int64_t> at_first_{};
  std::string in_segments_{};
  std::size_t said_ = 0;
  bool says_segments_ = false;
  bool toggle_ = false;
};

}  // namespace cogstride
