#include "cogstride/mechanism/boards.hpp"

namespace cogstride {

const BoardInputs& inputs_of(const Board& board) {
  return std::visit([](const auto& kind) -> const BoardInputs& { return kind.inputs; }, board);
}

const BoardStage& stage_of(const Board& board) {
  return std::visit([](const auto& kind) -> const BoardStage& { return kind.stage; }, board);
}

}  // namespace cogstride
