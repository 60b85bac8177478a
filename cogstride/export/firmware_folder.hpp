// A program for a small chip as a folder: the program, its header, and what of the part for small chips it
// takes. One command builds it.
#pragma once

#include <string>

#include "cogstride/export/write_program.hpp"
#include "cogstride/files/output_file.hpp"

namespace cogstride {

/// @param folder  is made where it is not there @return the command that builds it
/// @throws Error when a file cannot be written
std::string write_firmware(const MadeProgram& made, const std::string& folder, OutputFile::Existing existing);

}  // namespace cogstride
