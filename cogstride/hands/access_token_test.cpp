#include "cogstride/hands/access_token.hpp"

#include <gtest/gtest.h>

#include "cogstride/hands/listening.hpp"
#include "cogstride/quantity/error.hpp"
#include "support/refusal.hpp"

namespace cogstride::access_token_test {
namespace {

using testing_support::has;
using testing_support::refusal_of;

TEST(AccessToken, LetsAllInWhereNoneIsWanted) {
  AccessToken token;
  EXPECT_TRUE(token.lets_in(""));
  token.require();
  ASSERT_TRUE(token.wanted());
  EXPECT_EQ(token.wanted()->size(), 32U);
  EXPECT_FALSE(token.lets_in(""));
  EXPECT_TRUE(token.lets_in(*token.wanted()));
  const std::string before = *token.wanted();
  token.require();
  EXPECT_EQ(token.wanted(), before) << "the one that is there stays";
}

TEST(AccessToken, IsAnotherOneWhenItIsRenewed) {
  AccessToken token("bobbin");
  int told = 0;
  token.on_renewal([&] { ++told; });
  token.on_renewal([&] { ++told; });
  const std::string renewed = token.renew();
  EXPECT_EQ(told, 2);
  EXPECT_FALSE(token.lets_in("bobbin"));
  EXPECT_TRUE(token.lets_in(renewed));
  EXPECT_NE(renewed, token.renew());
}

TEST(AccessToken, IsComparedWhole) {
  EXPECT_TRUE(is_same_token("bobbin", "bobbin"));
  for (const char* const other : {"", "b", "bobbim", "bobbinbobbin", "Bobbin", "bobbi"})
    EXPECT_FALSE(is_same_token(other, "bobbin")) << other;
  EXPECT_FALSE(is_same_token("", "")) << "no token opens nothing";
}

TEST(Listening, ReadsAddressesAndWritesThem) {
  for (const char* const good : {"127.0.0.1:7480", "0.0.0.0:0", "[::1]:7480", "[::]:65535"})
    EXPECT_EQ(address_text(endpoint_of(good)), good);
  for (const char* const wrong : {"", "127.0.0.1", ":7480", "127.0.0.1:", "127.0.0.1:65536", "127.0.0.1:-1",
                                  "localhost:7480", "127.0.0.1:7480x", "999.0.0.1:1"})
    EXPECT_TRUE(has(refusal_of<Error>([&] { (void)endpoint_of(wrong); }), "is no address to listen at"))
        << wrong;
}

}  // namespace
}  // namespace cogstride::access_token_test
