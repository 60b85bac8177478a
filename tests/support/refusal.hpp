// What something that refuses says, and whether a text has a part.
#pragma once

#include <gtest/gtest.h>

#include <string>

namespace cogstride::testing_support {

/// What it throws says; empty when it throws nothing. Other errors than `Refusal` pass.
template <class Refusal, class Order>
std::string refusal_of(const Order& order) {
  try {
    order();
  } catch (const Refusal& refusal) {
    return refusal.what();
  }
  return {};
}

inline testing::AssertionResult has(const std::string& text, const std::string& part) {
  if (text.find(part) != std::string::npos) return testing::AssertionSuccess();
  return testing::AssertionFailure() << "no '" << part << "' in: " << text;
}

}  // namespace cogstride::testing_support
