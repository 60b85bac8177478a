// The word that one says first who comes in from elsewhere: by a socket, or on the page.
#pragma once

#include <functional>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

namespace cogstride {

/// One for all ways in of a session. From any thread.
class AccessToken {
 public:
  AccessToken() = default;
  explicit AccessToken(std::optional<std::string> token) : token_(std::move(token)) {}

  /// Nobody comes in without one from now on: it is made, if there is none.
  /// @throws Error when the system gives no random bytes
  void require();
  /// Another one from now on. Told to all who let others in, which let go who came by the old one.
  /// @return it. @throws Error as require()
  std::string renew();
  void on_renewal(std::function<void()> let_go);
  /// Nothing: nobody has to say one.
  [[nodiscard]] std::optional<std::string> wanted() const;
  [[nodiscard]] bool is_wanted() const { return wanted().has_value(); }
  /// Whether it is that, or none is wanted.
  [[nodiscard]] bool lets_in(const std::string& said) const;

 private:
  mutable std::mutex mutex_{};
  std::optional<std::string> token_{};
  std::vector<std::function<void()>> let_go_{};
};

/// Whether both are the same, in a time that does not tell how much of them is.
[[nodiscard]] bool is_same_token(const std::string& said, const std::string& wanted);

}  // namespace cogstride
