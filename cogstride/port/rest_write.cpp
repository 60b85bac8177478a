#include "cogstride/port/rest_write.hpp"

#include <linux/gpio.h>
#include <sys/ioctl.h>
#include <unistd.h>

namespace cogstride {

bool write_at_rest(const RestWrite& rest) noexcept {
  if (rest.is_stream)
    return write(rest.fd, rest.text.data(), rest.text_size) == static_cast<ssize_t>(rest.text_size);
  if (rest.text_size > 0)
    return pwrite(rest.fd, rest.text.data(), rest.text_size, 0) == static_cast<ssize_t>(rest.text_size);
  gpio_v2_line_values values{};
  values.mask = rest.mask;
  values.bits = rest.bits;
  return rest.mask == 0 || ioctl(rest.fd, GPIO_V2_LINE_SET_VALUES_IOCTL, &values) == 0;
}

}  // namespace cogstride
