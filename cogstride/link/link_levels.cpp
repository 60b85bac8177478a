#include "cogstride/link/link_levels.hpp"

#include <algorithm>

namespace cogstride {

void LinkLevels::add(Ahead ahead) {
  all_.insert(std::upper_bound(all_.begin(), all_.end(), ahead,
                               [](const Ahead& a, const Ahead& b) { return a.at < b.at; }),
              ahead);
}

/// Those of one instant go together.
void LinkLevels::feed(LinkTalk& talk, Tick now, Tick until) {
  std::erase_if(all_, [&](const Ahead& each) { return each.is_sent && each.at < now; });
  for (std::size_t i = 0; i < all_.size();) {
    const auto goes_with = [&](const Ahead& each) {
      return each.at == all_[i].at && each.is_sent == all_[i].is_sent &&
             each.duty.has_value() == all_[i].duty.has_value();
    };
    std::size_t end = i;
    while (end < all_.size() && goes_with(all_[end])) ++end;
    if (all_[i].at > until || (end > most_there_ && i > 0)) return;
    if (!all_[i].is_sent) {
      LinkBytes bytes(all_[i].duty ? LinkOrder::duties : LinkOrder::levels);
      bytes.word(static_cast<std::uint32_t>(all_[i].at));
      for (std::size_t k = i; k < end; ++k) {
        bytes.byte(all_[k].code);
        if (all_[k].duty) bytes.half(*all_[k].duty);
      }
      for (std::size_t k = i; k < end; ++k) all_[k].is_sent = true;
      talk.order(std::move(bytes));
    }
    i = end;
  }
}

void LinkLevels::keep(LinkTalk& talk, Tick from, const std::function<bool(LineId)>& is_one) {
  LinkBytes bytes(LinkOrder::keep_levels);
  bytes.word(static_cast<std::uint32_t>(from));
  const auto is_kept_back = [&](const Ahead& each) { return each.at >= from && is_one(each.line); };
  bool is_there = false;
  for (const Ahead& each : all_) {
    if (!is_kept_back(each) || !each.is_sent) continue;
    bytes.byte(each.code & 0x7f);
    is_there = true;
  }
  std::erase_if(all_, is_kept_back);
  if (is_there) talk.order(std::move(bytes));
}

std::optional<LineId> LinkLevels::first_sent() const {
  const auto sent = std::find_if(all_.begin(), all_.end(), [](const Ahead& each) { return each.is_sent; });
  return sent == all_.end() ? std::nullopt : std::optional(sent->line);
}

}  // namespace cogstride
