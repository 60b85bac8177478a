// What the page is told beside answers and states, as JSON; docs/page.md has the forms.
#pragma once

#include <cstdint>
#include <string>

#include "cogstride/rig/rig.hpp"
#include "cogstride/trace/run_window.hpp"

namespace cogstride {

/// The first that a viewer is told. @param model  as page_model has it @param window  null: no signals
[[nodiscard]] std::string begin_message(const std::string& viewer, const RunWindow* window,
                                        const std::string& model);
/// Values of signals, a row an instant: s, then each signal's.
[[nodiscard]] std::string samples_message(const RunWindow& window, const RunWindow::Samples& samples);
/// Lines as they changed, up to a little after the last edge of what is looked at, or to now.
/// @param seconds  back from there @param of  "traverse" of "traverse.step"; empty: to now
[[nodiscard]] std::string lines_message(const RunWindow& window, double seconds, const std::string& of);
/// Scripts of a folder, as they are now. Takes a while: each is foreseen.
[[nodiscard]] std::string scripts_message(const std::string& folder, const Rig& rig);

}  // namespace cogstride
