#include "cogstride/page/host_names.hpp"

#include <ifaddrs.h>
#include <unistd.h>

#include <boost/asio/ip/address.hpp>

namespace cogstride {
namespace {

namespace ip = boost::asio::ip;

std::string name_of_this_computer() {
  char name[256] = "";
  return gethostname(name, sizeof name - 1) == 0 ? name : "";
}

/// "192.168.1.20" of "192.168.1.20:7480", "::1" of "[::1]:7480".
std::string without_port(std::string_view host) {
  if (const std::size_t end = host.find(']'); host.starts_with('[') && end != std::string_view::npos)
    return std::string(host.substr(1, end - 1));
  return std::string(host.substr(0, host.find(':')));
}

}  // namespace

bool names_this_computer(std::string_view host) {
  constexpr const char* plain = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-.:[]";
  if (host.find_first_not_of(plain) != std::string_view::npos) return false;
  const std::string name = without_port(host);
  boost::system::error_code failure;
  (void)ip::make_address(name, failure);
  if (!failure) return true;
  const std::string own = name_of_this_computer();
  return name == "localhost" || (!own.empty() && (name == own || name == own + ".local"));
}

std::vector<std::string> addresses_of_this_computer() {
  std::vector<std::string> all;
  ifaddrs* first = nullptr;
  if (getifaddrs(&first) != 0) return all;
  for (const ifaddrs* each = first; each != nullptr; each = each->ifa_next) {
    if (each->ifa_addr == nullptr || each->ifa_addr->sa_family != AF_INET) continue;
    const auto* const in = reinterpret_cast<const sockaddr_in*>(each->ifa_addr);
    const ip::address_v4 address(ntohl(in->sin_addr.s_addr));
    if (!address.is_loopback()) all.push_back(address.to_string());
  }
  freeifaddrs(first);
  return all;
}

}  // namespace cogstride
