// The far side of hands: an input device of the kernel's, which comes and goes; a register of a sensor on a
// two-wire bus; the receiver of a remote, at a line.
//
//   far_hand pad NAME STEP ...      each STEP a time in ms, `plug`, `unplug`, CODE=VALUE (304=1: BTN_SOUTH),
//                                   or aCODE=VALUE (a1=255: ABS_Y)
//   far_hand register BUS ADDRESS AT VALUE
//   far_hand remote PULL US ...     marks and gaps in turn; PULL: of a simulated line, low during a mark
#include <fcntl.h>
#include <linux/i2c-dev.h>
#include <linux/i2c.h>
#include <linux/uinput.h>
#include <sched.h>
#include <sys/ioctl.h>
#include <time.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <string>

namespace {

void sleep_us(long us) {
  timespec span{us / 1'000'000, us % 1'000'000 * 1000};
  nanosleep(&span, nullptr);
}

int plugged(const char* name) {
  const int file = open("/dev/uinput", O_WRONLY);
  if (file < 0) {
    std::perror("/dev/uinput");
    return -1;
  }
  ioctl(file, UI_SET_EVBIT, EV_KEY);
  for (const int key : {BTN_SOUTH, BTN_EAST}) ioctl(file, UI_SET_KEYBIT, key);
  ioctl(file, UI_SET_EVBIT, EV_ABS);
  for (const int axis : {ABS_X, ABS_Y}) {
    ioctl(file, UI_SET_ABSBIT, axis);
    uinput_abs_setup setup{};
    setup.code = static_cast<unsigned short>(axis);
    setup.absinfo.value = 128;
    setup.absinfo.maximum = 255;
    setup.absinfo.flat = 15;
    ioctl(file, UI_ABS_SETUP, &setup);
  }
  uinput_setup setup{};
  setup.id.bustype = BUS_USB;
  std::snprintf(setup.name, sizeof setup.name, "%s", name);
  if (ioctl(file, UI_DEV_SETUP, &setup) != 0 || ioctl(file, UI_DEV_CREATE) != 0) std::perror("far_hand");
  return file;
}

void send(int file, int type, int code, int value) {
  input_event event{};
  event.type = static_cast<unsigned short>(type);
  event.code = static_cast<unsigned short>(code);
  event.value = value;
  if (write(file, &event, sizeof event) < 0) std::perror("far_hand");
}

int pad(int count, char** words) {
  int file = -1;
  for (int i = 3; i < count; ++i) {
    const std::string step = words[i];
    const std::size_t is = step.find('=');
    if (step == "plug") {
      file = plugged(words[2]);
      if (file < 0) return 1;
    } else if (step == "unplug") {
      close(file);
    } else if (is == std::string::npos) {
      sleep_us(1000 * std::atol(step.c_str()));
    } else {
      const bool is_axis = step[0] == 'a';
      send(file, is_axis ? EV_ABS : EV_KEY, std::atoi(step.c_str() + (is_axis ? 1 : 0)),
           std::atoi(step.c_str() + is + 1));
      send(file, EV_SYN, SYN_REPORT, 0);
    }
  }
  return 0;
}

int set_register(char** words) {
  const int file = open(words[2], O_RDWR);
  if (file < 0 || ioctl(file, I2C_SLAVE_FORCE, std::strtol(words[3], nullptr, 0)) < 0) return 1;
  i2c_smbus_data data{};
  data.byte = static_cast<unsigned char>(std::strtol(words[5], nullptr, 0));
  i2c_smbus_ioctl_data order{I2C_SMBUS_WRITE, static_cast<unsigned char>(std::strtol(words[4], nullptr, 0)),
                             I2C_SMBUS_BYTE_DATA, &data};
  return ioctl(file, I2C_SMBUS, &order) < 0 ? 1 : 0;
}

int remote(int count, char** words) {
  const int file = open(words[2], O_WRONLY);
  if (file < 0) return 1;
  sched_param high{};
  high.sched_priority = 40;
  sched_setscheduler(0, SCHED_FIFO, &high);
  timespec at{};
  clock_gettime(CLOCK_MONOTONIC, &at);
  bool mark = true;
  for (int i = 3; i <= count; ++i, mark = !mark) {
    const char* const level = mark && i < count ? "pull-down" : "pull-up";
    if (pwrite(file, level, std::strlen(level), 0) < 0) std::perror("far_hand");
    if (i == count) break;
    at.tv_nsec += 1000 * std::atol(words[i]);
    for (; at.tv_nsec >= 1'000'000'000; ++at.tv_sec) at.tv_nsec -= 1'000'000'000;
    clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &at, nullptr);
  }
  return 0;
}

}  // namespace

int main(int count, char** words) {
  const std::string what = count > 1 ? words[1] : "";
  if (what == "pad" && count > 3) return pad(count, words);
  if (what == "register" && count == 6) return set_register(words);
  if (what == "remote" && count > 3) return remote(count, words);
  return 2;
}
