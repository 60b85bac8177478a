// Errors that Cog Stride throws when input is wrong.
//
// Every message names the thing, gives the figure with its unit, and the way out. Input that comes from a
// file adds its place (rig/diagnostic.hpp).
#pragma once

#include <cstddef>
#include <stdexcept>
#include <string>
#include <utility>

namespace cogstride {

/// The root of all that Cog Stride throws on purpose.
class Error : public std::runtime_error {
 public:
  using std::runtime_error::runtime_error;
};

/// A value lies outside what can be held or done.
class RangeError : public Error {
 public:
  using Error::Error;
};

/// A text is not what was expected; `offset` counts bytes from its start.
class TextError : public Error {
 public:
  TextError(std::size_t offset, const std::string& message) : Error(message), offset_(offset) {}
  [[nodiscard]] std::size_t offset() const { return offset_; }

 private:
  std::size_t offset_;
};

}  // namespace cogstride
