#include "cogstride/files/scratch_folder.hpp"

#include <cerrno>
#include <cstdlib>
#include <cstring>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

ScratchFolder::ScratchFolder() {
  std::error_code failure;
  std::filesystem::path place = std::filesystem::temp_directory_path(failure);
  if (failure) place = "/tmp";
  std::string name = (place / "cogstride-XXXXXX").string();
  if (mkdtemp(name.data()) == nullptr)
    throw Error("there is no place for what is only passed on: " + name + ": " + std::strerror(errno));
  path_ = name;
}

ScratchFolder::~ScratchFolder() {
  std::error_code ignored;
  std::filesystem::remove_all(path_, ignored);
}

}  // namespace cogstride
