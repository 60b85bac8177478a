#include "cogstride/hands/learning.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <linux/input-event-codes.h>

#include <algorithm>
#include <cmath>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr std::int64_t usual_silence = 20'000'000;    // ns
constexpr std::int64_t comes_again_in = 400'000'000;  // ns, of a text that is said while something is held
constexpr std::int64_t another_press = 300'000'000;   // ns
constexpr std::size_t longest_text = 400;
constexpr std::size_t presses_wanted = 3;

/// A name as rigs have them: small letters, digits and '_'.
std::string name_of(const std::string& text, const char* otherwise) {
  std::string name;
  for (const char c : text) {
    const bool is_capital = c >= 'A' && c <= 'Z';
    const char small = is_capital ? static_cast<char>(c - 'A' + 'a') : c;
    if ((small >= 'a' && small <= 'z') || (small >= '0' && small <= '9' && !name.empty()))
      name += small;
    else if (!name.empty() && name.back() != '_')
      name += '_';
  }
  while (name.ends_with('_')) name.pop_back();
  return name.empty() ? otherwise : name;
}

std::string unlike(std::string name, const std::vector<std::string>& taken) {
  const std::string first = name;
  for (int i = 2; std::find(taken.begin(), taken.end(), name) != taken.end(); ++i)
    name = fmt::format("{}_{}", first, i);
  return name;
}

/// As a text of TOML.
std::string toml_text(std::string_view bytes) {
  std::string text = "\"";
  for (const char byte : bytes) {
    const auto code = static_cast<unsigned char>(byte);
    if (byte == '"' || byte == '\\')
      text += fmt::format("\\{}", byte);
    else if (byte == '\r' || byte == '\n')
      text += byte == '\r' ? "\\r" : "\\n";
    else if (code < ' ' || code > '~')
      text += fmt::format("\\u{:04x}", code);
    else
      text += byte;
  }
  return text + '"';
}

template <class Value>
Value& entry(std::vector<std::pair<std::string, Value>>& all, const std::string& name) {
  for (auto& [known, value] : all)
    if (known == name) return value;
  return all.emplace_back(name, Value{}).second;
}

/// The last run of digits of a text, as where it begins and how long it is.
std::pair<std::size_t, std::size_t> digits_in(const std::string& text) {
  const auto is_digit = [](char c) { return c >= '0' && c <= '9'; };
  std::size_t end = text.size();
  while (end > 0 && !is_digit(text[end - 1])) --end;
  std::size_t begin = end;
  while (begin > 0 && is_digit(text[begin - 1])) --begin;
  return {begin, end - begin};
}

std::string short_code(const std::string& code) {
  const std::size_t underscore = code.find('_');
  return name_of(underscore == std::string::npos ? code : code.substr(underscore + 1), "control");
}

}  // namespace

Learning::Learning(const Rig& rig, std::function<void(const std::string&)> show)
    : rig_(rig), show_(std::move(show)) {
  for (const Device& device : rig.devices) {
    Speaker& speaker = entry(speakers_, device.name);
    speaker.port = device.port;
    speaker.declared = &device;
  }
}

void Learning::add_port(const std::string& name, const std::string& port, std::optional<std::int64_t> baud) {
  Speaker& speaker = entry(speakers_, name);
  speaker.port = port;
  speaker.baud = baud;
}

// ---- input devices

void Learning::input(const std::string& called, const InputCode& code, std::int32_t value,
                     InputDevicePort::Range range) {
  if (code.type != EV_KEY && code.type != EV_ABS && code.type != EV_REL) return;
  Input& input = entry(inputs_, called);
  const bool is_new = std::find(input.codes.begin(), input.codes.end(), code) == input.codes.end();
  if (is_new) input.codes.push_back(code);
  if (is_new && code.type == EV_ABS) input.axes[code.code] = {range, value};
  // Of what goes on and on, such as a stick, the first is enough.
  if (code.type == EV_KEY ? value != 2 : is_new)
    show_(fmt::format("\"{}\" {} {}", called, to_text(code), value));
}

void Learning::propose_inputs(std::string& toml) const {
  for (const auto& [called, input] : inputs_) {
    const auto declared =
        std::find_if(rig_.input_devices.begin(), rig_.input_devices.end(),
                     [&, &its = called](const InputDevice& each) { return each.called == its; });
    const bool is_declared = declared != rig_.input_devices.end();
    std::vector<std::string> taken;
    for (const InputDevice& each : rig_.input_devices) taken.push_back(each.name);
    const std::string name = is_declared ? declared->name : unlike(name_of(called, "input"), taken);
    std::vector<std::string> codes;
    std::vector<std::string> names;
    if (is_declared) {
      const auto add = [&](const auto& parts) {
        for (const auto& part : parts) {
          codes.push_back(part.code);
          names.push_back(part.name);
        }
      };
      add(declared->keys);
      add(declared->axes);
      add(declared->wheels);
    }
    std::string controls;
    for (const InputCode& code : input.codes) {
      const std::string text = to_text(code);
      if (std::find(codes.begin(), codes.end(), text) != codes.end()) continue;
      const std::string control = unlike(short_code(text), names);
      names.push_back(control);
      const char* const kind = code.type == EV_KEY ? "key" : code.type == EV_ABS ? "axis" : "wheel";
      controls += fmt::format("\n[input_device.{}.{}.{}]\ncode = \"{}\"\n", name, kind, control, text);
      if (code.type != EV_ABS) continue;
      const Axis& axis = input.axes.at(code.code);
      // What rests near an end does not spring back to a middle.
      const double span = static_cast<double>(axis.range.most) - static_cast<double>(axis.range.least);
      const double middle = axis.range.least + 0.5 * span;
      if (span > 0.0 && std::abs(axis.rests_at - middle) > 0.35 * span) controls += "centred = false\n";
    }
    if (controls.empty()) continue;
    if (!is_declared) toml += fmt::format("\n[input_device.{}]\ncalled = {}\n", name, toml_text(called));
    toml += controls;
  }
}

// ---- texts

void Learning::bytes(const std::string& device, std::string_view bytes, std::int64_t now) {
  Speaker& speaker = entry(speakers_, device);
  settle(now);
  speaker.last_byte = now;
  const std::string ends_with =
      speaker.declared != nullptr ? speaker.declared->ends_with.value_or("") : std::string();
  for (const char byte : bytes) {
    if (speaker.text.size() < longest_text) speaker.text += byte;
    if (ends_with.empty() || !speaker.text.ends_with(ends_with)) continue;
    speaker.text.resize(speaker.text.size() - ends_with.size());
    end_text(device, speaker, now);
  }
}

void Learning::settle(std::int64_t now) {
  for (auto& [device, speaker] : speakers_) {
    if (speaker.text.empty()) continue;
    if (speaker.declared != nullptr && speaker.declared->ends_with) continue;
    const std::int64_t silence = speaker.declared != nullptr && speaker.declared->ends_after
                                     ? std::llround(1e9 * speaker.declared->ends_after->in(units::s))
                                     : usual_silence;
    if (now - speaker.last_byte >= silence) end_text(device, speaker, speaker.last_byte);
  }
}

void Learning::end_text(const std::string& device, Speaker& speaker, std::int64_t now) {
  const std::string text = std::exchange(speaker.text, {});
  show_(fmt::format("{} {}", device, toml_text(text)));
  const auto [begin, count] = digits_in(text);
  std::string form = text;
  std::string digits;
  if (count > 0 && count <= 18) {
    digits = text.substr(begin, count);
    form.replace(begin, count, number_word);
  }
  auto known = std::find_if(speaker.forms.begin(), speaker.forms.end(),
                            [&](const Form& each) { return each.text == form; });
  if (known == speaker.forms.end()) {
    if (speaker.forms.size() >= longest_text) return;  // nothing but noise
    speaker.forms.push_back({form});
    known = speaker.forms.end() - 1;
  }
  if (known->times > 0 && now - known->last_at < comes_again_in) {
    known->between += (now - known->last_at - known->between) / ++known->quick;
  }
  ++known->times;
  known->last_at = now;
  if (!digits.empty() &&
      std::find(known->digits.begin(), known->digits.end(), digits) == known->digits.end() &&
      known->digits.size() < longest_text)
    known->digits.push_back(digits);
}

void Learning::propose_texts(std::string& toml) const {
  for (const auto& [device, speaker] : speakers_) {
    std::string messages;
    std::vector<std::string> names;
    if (speaker.declared != nullptr)
      for (const DeviceMessage& message : speaker.declared->messages) names.push_back(message.name);
    for (const Form& form : speaker.forms) {
      const bool is_number = form.digits.size() > 1;
      std::string text = form.text;
      if (!is_number && !form.digits.empty())
        text.replace(text.find(number_word), number_word.size(), form.digits.front());
      const auto said = [&](const std::string& digits) {
        std::string whole = form.text;
        if (!digits.empty()) whole.replace(whole.find(number_word), number_word.size(), digits);
        return whole;
      };
      if (speaker.declared != nullptr) {
        const std::string sample = said(form.digits.empty() ? "" : form.digits.front());
        const auto& declared = speaker.declared->messages;
        if (std::any_of(declared.begin(), declared.end(),
                        [&](const DeviceMessage& message) { return said_by(message, sample).has_value(); }))
          continue;
      }
      const std::string name = unlike(
          name_of(text == form.text && is_number ? form.text.substr(0, form.text.find(number_word)) : text,
                  is_number ? "number" : "text"),
          names);
      names.push_back(name);
      messages += fmt::format("\n[device.{}.message.{}]\ntext = {}\n", device, name, toml_text(text));
      if (form.quick >= 2)
        messages += fmt::format("# it came again each {:.0f} ms: said while it is held\n",
                                1e-6 * static_cast<double>(form.between));
      if (!is_number) continue;
      std::size_t fewest = 18;
      std::size_t most = 1;
      std::int64_t lowest = std::stoll(form.digits.front());
      std::int64_t highest = lowest;
      for (const std::string& digits : form.digits) {
        fewest = std::min(fewest, digits.size());
        most = std::max(most, digits.size());
        lowest = std::min<std::int64_t>(lowest, std::stoll(digits));
        highest = std::max<std::int64_t>(highest, std::stoll(digits));
      }
      messages += fmt::format(
          "fewest_digits = {}\nmost_digits = {}\nlowest = {}  # as it was seen: its range may be "
          "wider\nhighest = {}\n",
          fewest, most, std::min<std::int64_t>(lowest, 0), highest);
    }
    if (messages.empty()) continue;
    if (speaker.declared == nullptr) {
      toml += fmt::format("\n[device.{}]\nport = {}\n", device, toml_text(speaker.port));
      if (speaker.baud) toml += fmt::format("baud = {}\n", *speaker.baud);
      toml += "ends_after = \"20 ms\"\n";
    }
    toml += messages;
  }
}

// ---- remotes

void Learning::frame(const std::string& remote, const RemoteFrame& frame, std::int64_t now) {
  const auto declared = std::find_if(rig_.remotes.begin(), rig_.remotes.end(),
                                     [&](const Remote& each) { return each.name == remote; });
  if (declared == rig_.remotes.end()) return;
  Handheld& handheld = entry(handhelds_, remote);
  const bool is_press = now - std::exchange(handheld.last_at, now) > another_press;
  if (frame.code) {
    const auto has = [&](const auto& keys) {
      return std::any_of(keys.begin(), keys.end(), [&](const auto& key) {
        return key.code && static_cast<std::uint32_t>(*key.code) == *frame.code;
      });
    };
    if (is_press) show_(fmt::format("{} {:#010x}", remote, *frame.code));
    if (!has(declared->keys) && !has(handheld.keys)) handheld.keys.push_back({frame.code});
    return;
  }
  if (frame.is_held || frame.us.size() < 3) return;
  if (declared->coding != Remote::Coding::learned) {
    if (is_press)
      show_(fmt::format(
          "{}: {} marks and gaps that are no pulse distance: coding = \"learned\" would take them", remote,
          frame.us.size()));
    return;
  }
  std::vector<std::int64_t> timing;
  for (const double us : frame.us) timing.push_back(std::llround(us));
  if (is_press) {
    show_(fmt::format("{}: {} marks and gaps, press {} of {}", remote, frame.us.size(),
                      handheld.presses.size() + 1, presses_wanted));
    handheld.presses.push_back({frame.us, now});
  } else if (!handheld.presses.empty() && !distance(frame.us, [&] {
               std::vector<std::int64_t> first;
               for (const double us : handheld.presses.back().us) first.push_back(std::llround(us));
               return first;
             }())) {
    handheld.held_timing = timing;  // what it says while it is held on
  }
  if (handheld.presses.size() == presses_wanted) learn(*declared, handheld);
}

/// From three presses of one key.
void Learning::learn(const Remote& remote, Handheld& handheld) {
  const auto rounded = [](const std::vector<double>& us) {
    std::vector<std::int64_t> timing;
    for (const double each : us) timing.push_back(std::llround(each));
    return timing;
  };
  const auto alike = [&](std::size_t a, std::size_t b) {
    return distance(handheld.presses[a].us, rounded(handheld.presses[b].us)).has_value();
  };
  const auto mean = [&](std::initializer_list<std::size_t> which) {
    std::vector<double> sum(handheld.presses[*which.begin()].us.size(), 0.0);
    for (const std::size_t each : which)
      for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += handheld.presses[each].us[i];
    for (double& each : sum) each /= static_cast<double>(which.size());
    return rounded(sum);
  };
  Key key;
  if (alike(0, 1) && alike(1, 2) && alike(0, 2)) {
    key.timing = mean({0, 1, 2});
  } else if (alike(0, 2)) {
    key.timing = mean({0, 2});
    key.other_timing = mean({1});
  }
  handheld.presses.clear();
  if (key.timing.empty())
    return show_(
        fmt::format("{}: three presses that differ: press one key three times, a little apart", remote.name));
  std::vector<double> as_said(key.timing.begin(), key.timing.end());
  const auto has = [&](const auto& keys) {
    return std::any_of(keys.begin(), keys.end(), [&](const auto& known) {
      return distance(as_said, known.timing) || distance(as_said, known.other_timing);
    });
  };
  if (has(remote.keys) || has(handheld.keys)) return show_(fmt::format("{}: this key is known", remote.name));
  show_(fmt::format("{}: a key is learned: the next one", remote.name));
  handheld.keys.push_back(std::move(key));
}

void Learning::propose_keys(std::string& toml) const {
  for (const auto& [name, handheld] : handhelds_) {
    const auto declared = std::find_if(rig_.remotes.begin(), rig_.remotes.end(),
                                       [&, &its = name](const Remote& each) { return each.name == its; });
    std::vector<std::string> names;
    for (const RemoteKey& key : declared->keys) names.push_back(key.name);
    if (!handheld.held_timing.empty() && declared->held_timing.empty() && !handheld.keys.empty())
      toml += fmt::format("\n# [remote.{}] itself: while a key is held on it says\n# held_timing = [{}]\n",
                          name, fmt::join(handheld.held_timing, ", "));
    for (const Key& key : handheld.keys) {
      const std::string its = unlike("key", names);
      names.push_back(its);
      toml += fmt::format("\n[remote.{}.key.{}]\n", name, its);
      if (key.code) {
        toml += fmt::format("code = {:#010x}\n", *key.code);
        continue;
      }
      toml += fmt::format("timing = [{}]\n", fmt::join(key.timing, ", "));
      if (!key.other_timing.empty())
        toml += fmt::format("other_timing = [{}]\n", fmt::join(key.other_timing, ", "));
    }
  }
}

std::string Learning::proposal() const {
  std::string toml;
  propose_inputs(toml);
  propose_texts(toml);
  propose_keys(toml);
  return toml.empty() ? toml : toml.substr(1);
}

}  // namespace cogstride
