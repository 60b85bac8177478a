#include "cogstride/report/happenings.hpp"

namespace cogstride {

std::vector<Happening> happenings_of(const EventLog& log) {
  const std::vector<TraceEvent>& events = log.events();
  const auto took = [&](std::size_t began) -> std::optional<double> {
    for (std::size_t i = began + 1; i < events.size(); ++i)
      if (events[i].who == events[began].who && events[i].kind != TraceEvent::Kind::note)
        return log.layout().seconds(events[i].at - events[began].at);
    return std::nullopt;
  };
  std::vector<Happening> all;
  for (std::size_t i = 0; i < events.size(); ++i) {
    const TraceEvent& event = events[i];
    const bool was_cancelled = event.kind == TraceEvent::Kind::ended && event.text.starts_with("cancelled");
    if (event.kind == TraceEvent::Kind::ended && !was_cancelled) continue;
    const bool says_who = event.who.empty() || event.text.starts_with(event.who + ":");
    all.push_back(
        {log.layout().seconds(event.at), event.kind == TraceEvent::Kind::began ? took(i) : std::nullopt,
         (says_who ? "" : event.who + ": ") + event.text, event.is_fault(), event.is_always_told()});
  }
  return all;
}

}  // namespace cogstride
