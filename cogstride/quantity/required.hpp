// A member that an order cannot do without: `{.lasts = 1_s}` alone is refused by the compiler.
#pragma once

#include <concepts>
#include <utility>

namespace cogstride {

/// A T that has to be given.
template <class T>
struct Required : T {
  template <class U>
  requires std::convertible_to<U, T>
  constexpr Required(U&& value) : T(std::forward<U>(value)) {}  // NOLINT: stands for the value itself
};

}  // namespace cogstride
