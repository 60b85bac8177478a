#include "cogstride/port/any_baud.hpp"

// Apart from <termios.h>, which names the same.
#include <asm/ioctls.h>
#include <asm/termbits.h>
#include <sys/ioctl.h>

#include <cerrno>

namespace cogstride {

int set_any_baud(int descriptor, std::int64_t baud) {
  termios2 settings{};
  if (ioctl(descriptor, TCGETS2, &settings) != 0) return errno;
  settings.c_cflag = (settings.c_cflag & ~static_cast<tcflag_t>(CBAUD | (CBAUD << IBSHIFT))) | BOTHER |
                     (static_cast<tcflag_t>(BOTHER) << IBSHIFT);
  settings.c_ispeed = settings.c_ospeed = static_cast<speed_t>(baud);
  return ioctl(descriptor, TCSETS2, &settings) == 0 ? 0 : errno;
}

}  // namespace cogstride
