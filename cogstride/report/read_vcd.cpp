#include "cogstride/report/read_vcd.hpp"

#include <fmt/format.h>

#include <charconv>
#include <map>

#include "cogstride/quantity/error.hpp"
#include "cogstride/rig/diagnostic.hpp"

namespace cogstride {
namespace {

constexpr std::size_t most_record = std::size_t{4} << 30U;  // bytes of a record

class VcdReader {
 public:
  VcdReader(std::string_view text, const std::string& file) : text_(text), file_(file) { trace_.file = file; }

  RecordedTrace read() {
    for (std::string_view word = next(); !word.empty(); word = next()) {
      if (word.front() == '$') {
        command(word);
      } else if (word.front() == '#') {
        const double at = static_cast<double>(number(word.substr(1))) * unit_;
        if (at < trace_.ends_at) throw wrong("time goes back");
        trace_.ends_at = at;
      } else {
        change(word);
      }
    }
    if (!is_defined_) throw wrong("no $enddefinitions: this is no waveform file (VCD)");
    return std::move(trace_);
  }

 private:
  [[nodiscard]] Error wrong(const std::string& what) const {
    return Error(fmt::format("{}:{}: {}", file_, line_, what));
  }

  /// The next word; empty at the end.
  std::string_view next() {
    while (at_ < text_.size() && is_blank(text_[at_])) line_ += text_[at_++] == '\n' ? 1 : 0;
    const std::size_t start = at_;
    while (at_ < text_.size() && !is_blank(text_[at_])) ++at_;
    return text_.substr(start, at_ - start);
  }
  static bool is_blank(char c) { return c == ' ' || c == '\n' || c == '\t' || c == '\r'; }

  std::vector<std::string_view> up_to_end() {
    std::vector<std::string_view> words;
    for (;;) {
      const std::string_view word = next();
      if (word.empty()) throw wrong("a command without its $end");
      if (word == "$end") return words;
      words.push_back(word);
    }
  }

  std::int64_t number(std::string_view digits) const {
    std::int64_t value = 0;
    const auto [end, error] = std::from_chars(digits.data(), digits.data() + digits.size(), value);
    if (error != std::errc() || end != digits.data() + digits.size() || value < 0)
      throw wrong(fmt::format("found '{}'; expected a whole number", digits));
    return value;
  }

  void command(std::string_view word) {
    if (word == "$dumpvars" || word == "$end" || word == "$dumpall" || word == "$dumpon" ||
        word == "$dumpoff")
      return;  // values stand between it and its $end
    const std::vector<std::string_view> words = up_to_end();
    if (word == "$timescale") {
      std::string whole;
      for (const std::string_view each : words) whole += each;
      const std::size_t digits = whole.find_first_not_of("0123456789");
      static const std::map<std::string, double> units{{"s", 1.0},   {"ms", 1e-3},  {"us", 1e-6},
                                                       {"ns", 1e-9}, {"ps", 1e-12}, {"fs", 1e-15}};
      const auto unit = digits == std::string::npos ? units.end() : units.find(whole.substr(digits));
      if (digits == 0 || unit == units.end())
        throw wrong(fmt::format("found '{}' as $timescale; 100 ns is one", whole));
      unit_ = static_cast<double>(number(std::string_view(whole).substr(0, digits))) * unit->second;
    } else if (word == "$scope" && words.size() >= 2) {
      scopes_.emplace_back(words[1]);
    } else if (word == "$upscope") {
      if (scopes_.empty()) throw wrong("$upscope outside any $scope");
      scopes_.pop_back();
    } else if (word == "$var") {
      if (words.size() < 4) throw wrong("a $var has a kind, a width, a code and a name");
      if (words[1] != "1" || words[0] == "real") return;
      std::string name;
      for (const std::string& scope : scopes_)
        if (scope != "rig") name += scope + ".";
      name += words[3];
      wires_.emplace(words[2], trace_.lines.size());
      trace_.lines.push_back({name, false, {}});
      levels_.push_back(-1);
    } else if (word == "$enddefinitions") {
      is_defined_ = true;
    }
  }

  void change(std::string_view word) {
    if (!is_defined_) throw wrong(fmt::format("found '{}' before $enddefinitions", word));
    if (word.front() == 'b' || word.front() == 'B' || word.front() == 'r' || word.front() == 'R') {
      (void)next();  // its code
      return;
    }
    const auto wire = wires_.find(word.substr(1));
    if (wire == wires_.end()) {
      throw wrong(fmt::format("found '{}'; a level is 0 or 1 and the code of a wire", word));
    }
    RecordedLine& line = trace_.lines[wire->second];
    int& level = levels_[wire->second];
    const int now = word.front() == '1' || word.front() == 'h' || word.front() == 'H' ? 1 : 0;
    if (level < 0) {
      line.starts_high = now == 1;
    } else if (level != now) {
      line.edges.push_back(trace_.ends_at);
    }
    level = now;
  }

  std::string_view text_;
  std::string file_;
  std::size_t at_ = 0;
  std::size_t line_ = 1;
  double unit_ = 1e-9;
  bool is_defined_ = false;
  std::vector<std::string> scopes_;
  std::map<std::string, std::size_t, std::less<>> wires_;
  std::vector<int> levels_;  // -1: not known yet
  RecordedTrace trace_;
};

}  // namespace

RecordedTrace parse_vcd(std::string_view text, const std::string& file) {
  return VcdReader(text, file).read();
}

RecordedTrace read_vcd(const std::string& file) {
  return parse_vcd(read_text_file(file, most_record), file);
}

}  // namespace cogstride
