// Orders by real sockets, to a bench that goes as fast as a clock.
#include "cogstride/hands/socket_ways.hpp"

#include <gtest/gtest.h>

#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/read_until.hpp>
#include <boost/asio/streambuf.hpp>
#include <boost/asio/write.hpp>
#include <istream>
#include <mutex>
#include <thread>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/refusal.hpp"

namespace cogstride::socket_ways_test {
namespace {

using namespace literals;
using boost::asio::ip::tcp;
using testing_support::demo_rig_without_gate;
using testing_support::has;
using testing_support::refusal_of;

/// A rig that is operated in a thread of its own.
struct Operated {
  explicit Operated(SocketWays::Options options = {}, std::optional<std::string> wanted = {})
      : bench(only_with(demo_rig_without_gate(), {"traverse"}), paced()) {
    if (options.listen.empty()) options.listen = "127.0.0.1:0";
    options.token = token = std::make_shared<AccessToken>(std::move(wanted));
    options.tell = [this](const std::string& words) {
      const std::lock_guard lock(mutex);
      told.push_back(words);
    };
    ways = std::make_unique<SocketWays>(desk, std::move(options));
    desk.on_renewal([this] { return token->renew(); });
    thread = std::thread([this] { bench.run(operation, [this] { return operation.has_ended(); }); });
  }
  ~Operated() {
    desk.line(desk.open("the test", {}, false), "end");
    thread.join();
    ways.reset();
  }
  static SimulatedBench::Options paced() {
    SimulatedBench::Options options;
    options.at_wall_clock = true;
    return options;
  }
  [[nodiscard]] bool was_told(const std::string& words) {
    for (int tries = 0; tries < 300; ++tries) {
      {
        const std::lock_guard lock(mutex);
        for (const std::string& each : told)
          if (has(each, words.c_str())) return true;
      }
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    return false;
  }

  SimulatedBench bench;
  Operation operation{bench};
  OrderDesk desk{bench, operation};
  std::mutex mutex;
  std::vector<std::string> told;
  std::shared_ptr<AccessToken> token;
  std::unique_ptr<SocketWays> ways;
  std::thread thread;
};

/// One who has come.
struct Caller {
  explicit Caller(const std::string& address) : socket(context) {
    const std::size_t colon = address.rfind(':');
    socket.connect({boost::asio::ip::make_address(address.substr(0, colon)),
                    static_cast<unsigned short>(std::stoi(address.substr(colon + 1)))});
  }
  void send(const std::string& bytes) { boost::asio::write(socket, boost::asio::buffer(bytes)); }
  /// "" when it was let go.
  std::string line() {
    boost::system::error_code failure;
    boost::asio::read_until(socket, in, '\n', failure);
    std::string text;
    std::getline(stream, text);
    return text;
  }
  std::string ask(const std::string& order) {
    send(order + "\n");
    return line();
  }
  boost::asio::io_context context;
  tcp::socket socket;
  boost::asio::streambuf in;
  std::istream stream{&in};
};

TEST(SocketWays, TakeOrdersAndAnswerThemAndSeveralComeAtOnce) {
  Operated at;
  Caller first(at.ways->address());
  Caller second(at.ways->address());
  EXPECT_EQ(first.ask("@1 switch lamp on"), "@1 done: switch lamp on");
  EXPECT_TRUE(
      has(second.ask("{\"order\": \"switch lamp off\", \"tag\": 2}"), "{\"tag\":2,\"answer\":\"done\""));
  first.send("jog traverse ");
  first.send("on at 20 mm/s\nmo");
  EXPECT_EQ(first.line(), "done: jog traverse on at 20 mm/s");
  EXPECT_TRUE(
      has(second.ask("move traverse to 5 mm"), "refused: move traverse to 5 mm: socket 1 has traverse"));
  // It hangs up in the middle of a word; what it held comes to rest, and it may come again.
  first.socket.close();
  EXPECT_TRUE(at.was_told("socket 1 is gone: "));
  Caller again(at.ways->address());
  std::string answer;
  for (int tries = 0; tries < 300 && !answer.starts_with("done"); ++tries)
    answer = again.ask("move traverse to 8 mm");
  EXPECT_EQ(answer, "done: move traverse to 8 mm");
  EXPECT_TRUE(at.was_told("socket 3 has come"));
}

TEST(SocketWays, WhoHasNoTokenOrdersNothingButAStop) {
  Operated at({}, "bobbin");
  Caller caller(at.ways->address());
  EXPECT_EQ(caller.ask("switch lamp on"), "refused: switch lamp on: who orders here says 'token ...' first");
  EXPECT_TRUE(has(caller.ask("watch every 100 ms"), "refused: "));
  EXPECT_EQ(caller.ask("token bobbi"), "refused: token: it is another one");
  EXPECT_EQ(caller.ask("token bobbin"), "done: token");
  EXPECT_EQ(caller.ask("switch lamp on"), "done: switch lamp on");
  Caller stranger(at.ways->address());
  EXPECT_TRUE(has(stranger.ask("stop everything"), "done: stop everything"));
  EXPECT_TRUE(has(caller.ask("switch lamp off"), "refused: switch lamp off: everything is stopped"));
  EXPECT_TRUE(has(stranger.ask("clear"), "refused: clear: who orders here"));
  for (int i = 0; i < 3; ++i)
    EXPECT_TRUE(has(stranger.ask("token " + std::to_string(i)), "it is another one"));
  EXPECT_EQ(stranger.line(), "");
  EXPECT_TRUE(at.was_told("socket 2 is gone: it said three wrong tokens"));
}

TEST(SocketWays, ARenewedTokenLetsGoWhoCameByTheOldOne) {
  Operated at({.look_without_token = true}, "bobbin");
  Caller caller(at.ways->address());
  Caller looker(at.ways->address());
  EXPECT_EQ(looker.ask("watch every 50 ms"), "done: watch every 50 ms") << "the rig lets anybody look";
  EXPECT_TRUE(has(looker.line(), "state: at "));
  EXPECT_EQ(caller.ask("token bobbin"), "done: token");
  caller.send("jog traverse on at 20 mm/s\n");
  EXPECT_EQ(caller.line(), "done: jog traverse on at 20 mm/s");
  const std::string token = at.token->renew();
  EXPECT_EQ(token.size(), 32U);
  EXPECT_EQ(caller.line(), "");
  EXPECT_TRUE(at.was_told("socket 1 is gone: the token is another one now"));
  Caller later(at.ways->address());
  EXPECT_TRUE(has(later.ask("token bobbin"), "it is another one"));
  EXPECT_EQ(later.ask("token " + token), "done: token");
}

TEST(SocketWays, OneFromElsewhereAlwaysNeedsAToken) {
  Operated at({.listen = "0.0.0.0:0"});
  ASSERT_TRUE(at.token->wanted());
  EXPECT_EQ(at.token->wanted()->size(), 32U);
  Caller caller("127.0.0.1:" + at.ways->address().substr(at.ways->address().rfind(':') + 1));
  EXPECT_TRUE(has(caller.ask("switch lamp on"), "refused: "));
}

TEST(SocketWays, OneWhoTakesNoAnswersIsLetGo) {
  Operated at;
  Caller caller(at.ways->address());
  boost::system::error_code failure;
  std::string lines;
  for (int i = 0; i < 100; ++i) lines += "@" + std::string(900, 'x') + " fly\n";
  for (int i = 0; i < 2000 && !failure; ++i)
    boost::asio::write(caller.socket, boost::asio::buffer(lines), failure);
  EXPECT_TRUE(failure);
  EXPECT_TRUE(at.was_told("socket 1 is gone: it takes no answers"));
}

TEST(SocketWays, SaysWhereItCannotListen) {
  for (const char* const wrong :
       {"here", "127.0.0.1", "127.0.0.1:", "127.0.0.1:99999", "localhost:80", "127.0.0.1:1x"})
    EXPECT_TRUE(has(refusal_of<Error>([&] { Operated at({.listen = wrong}); }), "is no address to listen at"))
        << wrong;
  Operated at;
  EXPECT_TRUE(has(refusal_of<Error>([&] { SocketWays twice(at.desk, {.listen = at.ways->address()}); }),
                  "cannot listen at 127.0.0.1:"));
}

}  // namespace
}  // namespace cogstride::socket_ways_test
