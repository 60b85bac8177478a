#include "cogstride/export/firmware_folder.hpp"

#include <fmt/format.h>

#include <cctype>
#include <filesystem>
#include <set>

#include "cogstride/export/chip_files.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

namespace fs = std::filesystem;

void write(const fs::path& path, std::string_view text, OutputFile::Existing existing) {
  std::error_code failure;
  fs::create_directories(path.parent_path(), failure);
  if (failure)
    throw Error(fmt::format("cannot make the folder {}: {}", path.parent_path().string(), failure.message()));
  OutputFile file(path.string(), existing);
  file.write(text);
  file.commit();
}

/// Those that a text includes, and those that they include: "cogstride/chip/tick.hpp".
void add_included(std::string_view text, const std::string& from, std::set<std::string>& found) {
  constexpr std::string_view include = "#include \"";
  for (std::size_t at = text.find(include); at != std::string_view::npos; at = text.find(include, at)) {
    at += include.size();
    const std::string_view name = text.substr(at, text.find('"', at) - at);
    const std::string whole = name.starts_with("cogstride/")
                                  ? std::string(name)
                                  : (fs::path(from).parent_path() / name).lexically_normal().string();
    for (const BuiltInFile& file : chip_files())
      if (file.path.substr(1) == whole && found.insert(whole).second) add_included(file.text, whole, found);
  }
}

/// By name, and not by where it lies: two folders may have the same file, and one program take both.
std::string guarded(std::string_view text, std::string name) {
  for (char& each : name)
    each = std::isalnum(static_cast<unsigned char>(each)) != 0
               ? static_cast<char>(std::toupper(static_cast<unsigned char>(each)))
               : '_';
  const std::string_view once = "#pragma once\n";
  const std::size_t at = text.find(once);
  if (at == std::string_view::npos) return std::string(text);
  return fmt::format("{}#ifndef {}\n#define {}\n{}\n#endif\n", text.substr(0, at), name, name,
                     text.substr(at + once.size()));
}

}  // namespace

std::string write_firmware(const MadeProgram& made, const std::string& folder,
                           OutputFile::Existing existing) {
  const std::string& name = made.parts.name;
  const std::string header = header_text(made);
  const std::string program =
      made.is_linked ? link_firmware_text(made, name + ".hpp") : firmware_text(made, name + ".hpp");
  std::set<std::string> included;
  add_included(header, name + ".hpp", included);
  add_included(program, name + ".cpp", included);
  // Refused before anything is written.
  if (existing == OutputFile::Existing::refused)
    for (const std::string& file : {name + ".hpp", name + ".cpp"})
      if (fs::exists(fs::path(folder) / file))
        throw Error(
            fmt::format("{} is there already; --overwrite replaces it", (fs::path(folder) / file).string()));
  for (const BuiltInFile& file : chip_files())
    if (included.count(std::string(file.path.substr(1))) != 0)
      write(fs::path(folder) / file.path.substr(1), guarded(file.text, std::string(file.path.substr(1))),
            OutputFile::Existing::replaced);
  write(fs::path(folder) / (name + ".hpp"), header, existing);
  write(fs::path(folder) / (name + ".cpp"), program, existing);
  const SmallChip& chip = *made.rig->controller.small_chip;
  return fmt::format(
      "avr-g++ -std=c++14 -mmcu={} -DF_CPU={:.0f}UL -Os -fno-exceptions -fno-rtti -fno-threadsafe-statics "
      "-ffunction-sections -Wl,--gc-sections -I{} {}/{}.cpp -o {}/{}.elf",
      chip.compiler_name, made.rig->controller.timer_clock.base().to_double(), folder, folder, name, folder,
      name);
}

}  // namespace cogstride
