#include <fmt/format.h>

#include <cstdio>
#include <filesystem>

#include "cogstride/export/firmware_folder.hpp"
#include "cogstride/export/make_program.hpp"
#include "cogstride/export/write_tables.hpp"
#include "cogstride/quantity/error.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script.hpp"
#include "commands.hpp"
#include "outputs.hpp"

using namespace cogstride;

namespace {

void print(const Finding& finding) {
  const std::string where =
      !finding.place.file.empty()
          ? fmt::format("{}:{}:{}: ", finding.place.file, finding.place.line, finding.place.column)
      : finding.mechanism.empty() ? std::string()
                                  : finding.mechanism + ": ";
  fmt::print(stderr, "{}{} {}: {}\n", where, to_text(finding.severity), finding.code, finding.what);
  if (!finding.way_out.empty()) fmt::print(stderr, "  way out: {}\n", finding.way_out);
}

}  // namespace

ExitStatus run_export(const ExportOptions& options) {
  const Rig rig = read_rig(options.rig);
  if (!rig.controller.small_chip)
    throw Error(
        fmt::format("{}: its controller is no small chip: [controller.small_chip] says which", options.rig));
  if (rig.controller.small_chip->kind != SmallChip::Kind::avr8)
    throw Error(fmt::format("{}: controller.small_chip.kind: programs are made for an \"8-bit AVR\" so far",
                            options.rig));
  if (options.link && !options.script.empty())
    throw Error("--link: the program plays what a computer plans: no script goes into it");
  std::optional<Script> script;
  if (!options.script.empty()) script = read_script(options.script, rig);
  Making making = options.link ? make_link_program(rig) : make_program(rig, script ? &*script : nullptr);
  MadeProgram& made = making.made;
  made.rig_file = std::filesystem::path(options.rig).filename().string();
  made.script_file = std::filesystem::path(options.script).filename().string();
  for (const Finding& finding : making.findings) print(finding);
  if (!making.is_sound()) {
    fmt::print(stderr, "nothing was written\n");
    return ExitStatus::something_is_wrong;
  }
  const auto existing = options.overwrite ? OutputFile::Existing::replaced : OutputFile::Existing::refused;
  if (!options.firmware.empty()) {
    const std::string command = write_firmware(made, options.firmware, existing);
    fmt::print("{} is in {}; this builds it:\n\n  {}\n", rig.name, options.firmware, command);
    return ExitStatus::done;
  }
  const bool is_table = !options.table.empty();
  const std::string text = is_table ? table_text(made, options.as == "compares"    ? TableForm::compares
                                                       : options.as == "overflows" ? TableForm::overflows
                                                                                   : TableForm::intervals)
                                    : header_text(made);
  if (!is_table && options.header.empty()) {
    std::fputs(text.c_str(), stdout);
    return ExitStatus::done;
  }
  OutputFile file(is_table ? options.table : options.header, existing);
  file.write(text);
  file.commit();
  return ExitStatus::done;
}
