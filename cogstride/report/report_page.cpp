#include "cogstride/report/report_page.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/report/happenings.hpp"

namespace cogstride {
namespace {

constexpr std::string_view head = R"(<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="color-scheme" content="light">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'; img-src data:">
<title>{title}</title>
<style>
body { margin: 0 auto; max-width: 1120px; padding: 20px 24px 60px; background: #f4f1ea; color: #20242b; font: 16px/1.5 "DejaVu Sans", system-ui, sans-serif; overflow-wrap: anywhere; }
h1 { font-size: 1.5rem; margin: 0 0 4px; }
h2 { font-size: 1.15rem; margin: 2rem 0 .6rem; border-bottom: 2px solid #d9a441; padding-bottom: 2px; }
.says { border-left: 8px solid #1b6b50; background: #fffdf8; padding: 10px 16px; font-size: 1.1rem; margin: 8px 0 0; }
.says.wrong { border-color: #a8231a; background: #f7ddd6; }
.says b { letter-spacing: .04em; }
nav { margin: 12px 0 0; font-size: .9rem; }
nav a { margin-right: 14px; }
a { color: #2a5c9a; }
table { border-collapse: collapse; min-width: 60%; font-size: .88rem; background: #fffdf8; }
th { text-align: left; color: #575c66; font-weight: 600; }
th, td { padding: 4px 10px; border-bottom: 1px solid #e4dfd3; vertical-align: top; }
td.number { font-variant-numeric: tabular-nums; white-space: nowrap; }
td:first-child { white-space: nowrap; }
tr.fault td { background: #f7ddd6; font-weight: 600; }
pre { background: #fffdf8; border: 1px solid #cdc6b8; border-radius: 6px; padding: 10px 12px; overflow-x: auto; font: 13px/1.45 "DejaVu Sans Mono", monospace; white-space: pre; }
.figure { background: #fff; border: 1px solid #cdc6b8; border-radius: 8px; overflow: hidden; touch-action: pan-y; }
.figure svg { display: block; width: 100%; height: auto; cursor: zoom-in; }
.zooms { display: flex; gap: 6px; margin: 6px 0; align-items: center; font-size: .85rem; color: #575c66; }
.zooms button { font: inherit; min-width: 40px; min-height: 32px; border: 1px solid #8b8679; border-radius: 6px; background: #e7e1d4; cursor: pointer; }
:focus-visible { outline: 3px solid #2a5c9a; outline-offset: 2px; }
details summary { cursor: pointer; padding: 6px 0; }
@media print { body { background: #fff; padding: 0; max-width: none; } nav, .zooms { display: none; } details > * { display: block; } .figure { break-inside: avoid; } h2 { break-after: avoid; } pre { white-space: pre-wrap; } }
</style>
</head>
<body>
)";

constexpr std::string_view tail = R"(<script>
// A wheel with Ctrl, two fingers, the keys + - 0 and the arrows, or the buttons: into the figure and out of it.
for (const figure of document.querySelectorAll(".figure")) {
  const svg = figure.querySelector("svg");
  const whole = svg.viewBox.baseVal;
  const full = [whole.x, whole.y, whole.width, whole.height];
  let view = [...full];
  const show = () => {
    view[2] = Math.min(view[2], full[2]);
    view[3] = Math.min(view[3], full[3]);
    view[0] = Math.max(full[0], Math.min(view[0], full[0] + full[2] - view[2]));
    view[1] = Math.max(full[1], Math.min(view[1], full[1] + full[3] - view[3]));
    svg.setAttribute("viewBox", view.join(" "));
  };
  const at = (event) => {
    const box = svg.getBoundingClientRect();
    return [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
  };
  const zoom = (by, x = 0.5, y = 0.5) => {
    const width = Math.max(full[2] / 200, Math.min(full[2], view[2] / by));
    const height = (width * full[3]) / full[2];
    view = [view[0] + (view[2] - width) * x, view[1] + (view[3] - height) * y, width, height];
    show();
  };
  const move = (x, y) => {
    view[0] += x * view[2];
    view[1] += y * view[3];
    show();
  };
  svg.addEventListener("wheel", (event) => {
    if (!event.ctrlKey) return;
    event.preventDefault();
    zoom(event.deltaY < 0 ? 1.25 : 0.8, ...at(event));
  }, {passive: false});
  const fingers = new Map();
  let apart = 0;
  svg.addEventListener("pointerdown", (event) => {
    fingers.set(event.pointerId, event);
    svg.setPointerCapture(event.pointerId);
  });
  svg.addEventListener("pointermove", (event) => {
    const before = fingers.get(event.pointerId);
    if (!before) return;
    const box = svg.getBoundingClientRect();
    if (fingers.size === 1) move((before.clientX - event.clientX) / box.width, (before.clientY - event.clientY) / box.height);
    fingers.set(event.pointerId, event);
    if (fingers.size !== 2) return;
    const [a, b] = [...fingers.values()];
    const now = Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY);
    if (apart > 0) zoom(now / apart, ...at({clientX: (a.clientX + b.clientX) / 2, clientY: (a.clientY + b.clientY) / 2}));
    apart = now;
  });
  for (const what of ["pointerup", "pointercancel"]) svg.addEventListener(what, (event) => {
    fingers.delete(event.pointerId);
    apart = 0;
  });
  svg.addEventListener("dblclick", (event) => zoom(2, ...at(event)));
  const keys = {"+": () => zoom(1.5), "-": () => zoom(1 / 1.5), "0": () => { view = [...full]; show(); },
    ArrowLeft: () => move(-0.1, 0), ArrowRight: () => move(0.1, 0), ArrowUp: () => move(0, -0.1), ArrowDown: () => move(0, 0.1)};
  figure.addEventListener("keydown", (event) => {
    if (!keys[event.key]) return;
    event.preventDefault();
    keys[event.key]();
  });
  for (const button of figure.parentElement.querySelectorAll("button")) button.addEventListener("click", () => keys[button.dataset.key]());
}
</script>
</body>
</html>
)";

std::string escaped(std::string_view text) {
  std::string out;
  for (const char c : text) {
    if (c == '&')
      out += "&amp;";
    else if (c == '<')
      out += "&lt;";
    else if (c == '>')
      out += "&gt;";
    else if (c == '"')
      out += "&quot;";
    else
      out += static_cast<unsigned char>(c) < ' ' && c != '\n' && c != '\t' ? ' ' : c;
  }
  return out;
}

/// An anchor of it: letters, digits and dashes.
std::string anchor(const std::string& heading) {
  std::string out;
  for (const char c : heading) {
    const bool is_plain = (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9');
    out += is_plain ? c : c >= 'A' && c <= 'Z' ? static_cast<char>(c + ('a' - 'A')) : '-';
  }
  return out;
}

bool is_number(const std::string& text) {
  return !text.empty() && text.find_first_not_of("0123456789.-+e ") == std::string::npos;
}

/// All that a figure calls by name is its own among several.
std::string with_own_names(std::string svg, int figure) {
  const std::string own = fmt::format("f{}-", figure);
  for (const std::string& before : {std::string("id='"), std::string("id=\""), std::string("href='#"),
                                    std::string("href=\"#"), std::string("url(#")})
    for (std::size_t at = svg.find(before); at != std::string::npos;
         at = svg.find(before, at + before.size()))
      svg.insert(at + before.size(), own);
  return svg;
}

std::string row(const std::vector<std::string>& cells, const char* tag, const std::string& attributes = {}) {
  std::string out = "<tr" + attributes + ">";
  for (const std::string& cell : cells)
    out += fmt::format("<{}{}>{}</{}>", tag, is_number(cell) ? " class=\"number\"" : "", escaped(cell), tag);
  return out + "</tr>\n";
}

std::string figure_text(const VerdictFigure& figure) {
  if (!std::isfinite(figure.value)) return "not known";
  return fmt::format("{:.6g}{}{}", figure.value, figure.unit.empty() ? "" : " ", figure.unit);
}

std::string with_blanks(std::string name) {
  for (char& c : name)
    if (c == '_') c = ' ';
  return name;
}

}  // namespace

void ReportPage::add_section(const std::string& heading, const std::string& inside) {
  body_ += fmt::format("<h2 id=\"{}\">{}</h2>\n{}", anchor(heading), escaped(heading), inside);
}

void ReportPage::add_text(const std::string& heading, const std::string& text) {
  add_section(heading, "<pre>" + escaped(text) + "</pre>\n");
}

void ReportPage::add_table(const std::string& heading, const std::vector<std::string>& columns,
                           const std::vector<std::vector<std::string>>& rows) {
  std::string table = "<table>\n<thead>" + row(columns, "th") + "</thead>\n<tbody>\n";
  for (const std::vector<std::string>& cells : rows) table += row(cells, "td");
  add_section(heading, table + "</tbody>\n</table>\n");
}

void ReportPage::add_list(const std::string& heading, const std::vector<std::string>& lines) {
  std::string list = "<ul>\n";
  for (const std::string& line : lines) list += "<li>" + escaped(line) + "</li>\n";
  add_section(heading, list + "</ul>\n");
}

void ReportPage::add_figure(const std::string& heading, const std::string& svg) {
  const std::size_t begin = svg.find("<svg");
  if (begin == std::string::npos) return;
  ++figures_;
  add_section(
      heading,
      fmt::format(
          "<div><div class=\"figure\" tabindex=\"0\" role=\"group\" aria-label=\"{}\">\n{}</div>\n"
          "<div class=\"zooms\"><button type=\"button\" data-key=\"+\" aria-label=\"closer\">+</button>"
          "<button type=\"button\" data-key=\"-\" aria-label=\"farther\">\u2212</button>"
          "<button type=\"button\" data-key=\"0\">All of it</button>"
          "<span>or Ctrl and the wheel, two fingers, a drag</span></div></div>\n",
          escaped(heading), with_own_names(svg.substr(begin), figures_)));
}

void ReportPage::add_undrawn(const std::string& heading, const std::string& why) {
  add_section(heading, "<p>" + escaped(why) + "</p>\n");
}

void ReportPage::add_source(const std::string& file, const std::string& text) {
  std::string numbered;
  std::size_t number = 1;
  for (std::size_t at = 0; at < text.size(); ++number) {
    const std::size_t end = std::min(text.find('\n', at), text.size());
    numbered += fmt::format("{:4}  {}\n", number, text.substr(at, end - at));
    at = end + 1;
  }
  add_section(file, fmt::format("<details><summary>{} lines, as they were</summary><pre>{}</pre></details>\n",
                                number - 1, escaped(numbered)));
}

void ReportPage::add_verdict(const Verdict& verdict) {
  for (const MoverVerdict& mover : verdict.movers) {
    if (!mover.has_moved) continue;
    std::vector<std::vector<std::string>> rows;
    if (!mover.sum.empty()) rows.push_back({"", mover.sum});
    for (const std::string& complaint : mover.complaints) rows.push_back({"wrong", complaint});
    for (const VerdictCause& cause : mover.causes) rows.push_back({"look at", cause.words});
    for (const MoverVerdict::Row& each : mover.rows) rows.push_back({each.about, each.words});
    for (const std::string& each : mover.looked_at) rows.push_back({"looked at", each});
    for (const std::string& each : mover.not_looked_at) rows.push_back({"not looked at", each});
    add_table(mover.name, {mover.kind, mover.complaints.empty() ? "as asked" : "something is wrong"}, rows);
    if (mover.figures.empty()) continue;
    std::string figures = "<details><summary>its figures</summary>\n<table>\n<tbody>\n";
    for (const VerdictFigure& each : mover.figures)
      figures += row({with_blanks(each.name), figure_text(each)}, "td");
    body_ += figures + "</tbody>\n</table></details>\n";
  }
}

void ReportPage::add_events(const EventLog& log) {
  std::string table =
      "<table>\n<thead>" + row({"at, s", "took, s", "what happened"}, "th") + "</thead>\n<tbody>\n";
  for (const Happening& each : happenings_of(log))
    table +=
        row({fmt::format("{:.4f}", each.at), each.took ? fmt::format("{:.4f}", *each.took) : "", each.words},
            "td", each.is_fault ? " class=\"fault\"" : "");
  table += "</tbody>\n</table>\n";
  if (log.left_out() > 0) table += fmt::format("<p>and {} more.</p>\n", log.left_out());
  add_section("What happened", table);
}

void ReportPage::add_findings(const std::vector<Finding>& findings) {
  std::vector<std::vector<std::string>> rows;
  for (const Finding& finding : findings)
    rows.push_back(
        {to_text(finding.severity), finding.code, finding.mechanism, finding.what, finding.way_out});
  if (rows.empty()) rows.push_back({"none", "", "", "nothing was found", ""});
  add_table("Findings", {"how bad", "code", "of", "what", "way out"}, rows);
}

void ReportPage::add_lines(const Rig& rig) {
  std::vector<std::vector<std::string>> rows;
  for (const RigLine& line : rig_lines(rig))
    rows.push_back({line_name(line.number), line.owner, line.use, line.is_output ? "out" : "in"});
  std::sort(rows.begin(), rows.end(),
            [](const auto& a, const auto& b) { return std::stol(a[0]) < std::stol(b[0]); });
  add_table("Lines", {"line", "goes to", "for", "way"}, rows);
}

void ReportPage::add_made_by(const std::vector<std::pair<std::string, std::string>>& rows) {
  std::vector<std::vector<std::string>> cells;
  for (const auto& [name, value] : rows) cells.push_back({name, value});
  add_table("Made by", {"", ""}, cells);
}

std::string ReportPage::html() const {
  std::string out(head);
  out.replace(out.find("{title}"), 7, escaped(title_));
  out += fmt::format("<h1>{}</h1>\n<p class=\"says{}\"><b>{}</b> {}</p>\n", escaped(title_),
                     is_sound_ ? "" : " wrong", is_sound_ ? "\u2713" : "\u2717", escaped(says_));
  out += "<main>\n" + body_ + "</main>\n";
  out += tail;
  return out;
}

bool is_report_name(const std::string& path) {
  return path.size() > 5 && path.ends_with(".html");
}

void write_report(const std::string& path, const ReportPage& page, OutputFile::Existing existing) {
  OutputFile file(path, existing);
  file.write(page.html());
  file.commit();
}

}  // namespace cogstride
