#include "cogstride/session/position_memory.hpp"

#include <fmt/format.h>

#include <filesystem>

#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/read_rig.hpp"

namespace cogstride {

PositionMemory::PositionMemory(std::string path, const std::string& rig_file, const Rig& rig)
    : path_(std::move(path)) {
  if (path_.empty()) return;
  rig_ = fingerprint(read_text_file(rig_file));
  if (!std::filesystem::exists(path_)) return;
  try {
    remembered_ = parse_remembered(read_text_file(path_));
  } catch (const Error& error) {
    notes_.push_back(fmt::format("{}: {}", path_, error.what()));
  }
  if (!remembered_) return;
  for (const auto& [name, position] : remembered_->positions) (void)mechanism_named(rig, name);
}

KnownPositions PositionMemory::known() const {
  if (!remembered_ || remembered_->rig != rig_ || !remembered_->standing) return {};
  return remembered_->positions;
}

void PositionMemory::recall(Bench& bench) {
  if (path_.empty()) return;
  if (remembered_) {
    for (std::string& note : recall_positions(bench, *remembered_, rig_)) notes_.push_back(std::move(note));
  }
  write_remembered(path_, {rig_, false, {}});  // from now on anything may move
}

void PositionMemory::keep(Bench& bench) {
  if (!path_.empty()) write_remembered(path_, park_positions(bench, rig_, notes_));
}

}  // namespace cogstride
