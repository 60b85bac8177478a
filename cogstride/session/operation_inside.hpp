// What the sources of Operation share.
#pragma once

#include "cogstride/session/operation.hpp"

#include "cogstride/script/script_player.hpp"
#include "cogstride/script/source_line.hpp"

namespace cogstride {

inline constexpr const char* by_hand = "by hand";

/// What is wrong with a line, without where.
[[nodiscard]] std::string first_of(const InputError& error);

/// Whatever blanks stand in it.
[[nodiscard]] inline bool is_stop_everything(const std::string& line) {
  const SourceLine words = split_words(1, line);
  return words.words.size() == 2 && words.words[0].text == "stop" && words.words[1].text == "everything";
}

/// An order that has begun: a statement, a script or a nudge.
struct Operation::Order {
  std::string line{};
  std::shared_ptr<const Script> script{};
  std::unique_ptr<ScriptPlayer> player{};  // of a statement or a script
  std::shared_ptr<MotionRecord> motion{};  // else
  std::vector<Told> told{};
  std::vector<Mover*> movers{};
  bool homes = false;
  bool is_script = false;
  bool is_endless = false;
  std::string statement{};  // of a script, that is on
  ScriptLength length{};
  Tick played = 0;  // of it, up to `since`
  Tick since = 0;   // it has been going on; nothing while it is paused
  bool is_paused = false;

  void pause(Tick now, bool paused) {
    if (!is_paused) played += now - since;
    since = now;
    is_paused = paused;
    player->pause(paused);
  }
  [[nodiscard]] Tick played_until(Tick now) const { return played + (is_paused ? 0 : now - since); }

  [[nodiscard]] bool has(const Mover* mover) const;
  [[nodiscard]] Tick next_act() const;
  [[nodiscard]] bool has_ended() const;
  [[nodiscard]] std::string fault() const;
};

}  // namespace cogstride
