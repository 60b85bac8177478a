#include "cogstride/hands/access_token.hpp"

#include <fmt/format.h>

#include <sys/random.h>

#include <array>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

std::string made_token() {
  std::array<unsigned char, 16> bytes{};
  if (getrandom(bytes.data(), bytes.size(), 0) != static_cast<ssize_t>(bytes.size()))
    throw Error("the system gives no random bytes for a token");
  std::string token;
  for (const unsigned char each : bytes) token += fmt::format("{:02x}", each);
  return token;
}

}  // namespace

void AccessToken::require() {
  const std::lock_guard lock(mutex_);
  if (!token_) token_ = made_token();
}

std::string AccessToken::renew() {
  std::string token = made_token();
  std::vector<std::function<void()>> told;
  {
    const std::lock_guard lock(mutex_);
    token_ = token;
    told = let_go_;
  }
  for (const std::function<void()>& each : told) each();
  return token;
}

void AccessToken::on_renewal(std::function<void()> let_go) {
  const std::lock_guard lock(mutex_);
  let_go_.push_back(std::move(let_go));
}

std::optional<std::string> AccessToken::wanted() const {
  const std::lock_guard lock(mutex_);
  return token_;
}

bool AccessToken::lets_in(const std::string& said) const {
  const std::optional<std::string> token = wanted();
  return !token || is_same_token(said, *token);
}

bool is_same_token(const std::string& said, const std::string& wanted) {
  unsigned char differs = said.size() == wanted.size() && !wanted.empty() ? 0 : 1;
  for (std::size_t i = 0; i < wanted.size(); ++i) {
    const char other = said.empty() ? '\0' : said[i % said.size()];
    differs = static_cast<unsigned char>(differs | (wanted[i] ^ other));
  }
  return differs == 0;
}

}  // namespace cogstride
