// A device's texts: the first line of the input is how the rig declares one (ends, text, digits), the rest
// comes in from its port. Whatever it is, what is heard is a whole message with a number in its range.
#include <cstdint>
#include <cstdlib>
#include <string_view>

#include "cogstride/motion/devices/messages.hpp"
#include "cogstride/quantity/error.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace cogstride;
  const std::string_view text(reinterpret_cast<const char*>(data), size);
  const std::size_t end = std::min(text.find('\n'), text.size());
  const std::string_view form = text.substr(0, end);
  if (form.size() < 3) return 0;
  Device device{.name = "panel", .port = "/dev/ttyS0"};
  if (form[0] < 'm')
    device.ends_with = std::string(1, form[0]);
  else
    device.ends_after = Time(0.02, units::s);
  DeviceMessage message{.name = "one", .text = std::string(form.substr(2))};
  message.fewest_digits = form[1] % 4;
  message.most_digits = form[1] % 19;
  message.negative = form[1] % 2 == 1;
  message.lowest = -(form[1] % 100);
  message.highest = form[1] * 1000;
  device.messages = {message, {.name = "other", .text = "~"}};
  try {
    MessageReader reader(device);
    const auto heard = [&](const DeviceMessage& said, std::optional<std::int64_t> number) {
      if (said.has_number() != number.has_value()) std::abort();
      if (number && (*number < said.lowest || *number > said.highest)) std::abort();
    };
    std::int64_t now = 0;
    for (std::size_t i = end + 1; i < text.size(); i += 7) {
      reader.take(text.substr(i, 7), now, heard);
      now += 4'000'000 * (text[i] & 7);
      (void)reader.settle(now, heard);
    }
    (void)reader.settle(now + 1'000'000'000, heard);
  } catch (const RangeError&) {
  }
  return 0;
}
