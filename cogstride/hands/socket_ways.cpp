#include "cogstride/hands/socket_ways.hpp"

#include <fmt/format.h>

#include <array>
#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/post.hpp>
#include <boost/asio/steady_timer.hpp>
#include <boost/asio/write.hpp>
#include <deque>
#include <set>
#include <utility>

#include "cogstride/hands/listening.hpp"
#include "cogstride/quantity/error.hpp"
#include "cogstride/script/source_line.hpp"
#include "cogstride/trace/writer_thread.hpp"

namespace cogstride {
namespace {

namespace asio = boost::asio;
using asio::ip::tcp;
using Failure = boost::system::error_code;

constexpr std::size_t most_sockets = 16;
constexpr std::size_t most_not_taken = 10'000;  // lines

}  // namespace

struct SocketWays::Inside {
  Inside(OrderDesk& at, Options wanted)
      : desk(at), options(std::move(wanted)), acceptor(context), work(asio::make_work_guard(context)) {
    if (!options.token) options.token = std::make_shared<AccessToken>();
  }

  class Connection;
  void accept();
  void tell(const std::string& words) const {
    if (options.tell) options.tell(words);
  }

  OrderDesk& desk;
  Options options;
  asio::io_context context{1};
  tcp::acceptor acceptor;
  asio::executor_work_guard<asio::io_context::executor_type> work;
  std::string address{};
  int count = 0;
  std::set<std::shared_ptr<Connection>> connections{};
  WriterThread thread{};
};

/// One who has come. All of it is the thread's of the sockets.
class SocketWays::Inside::Connection : public std::enable_shared_from_this<Connection> {
 public:
  Connection(Inside& all, tcp::socket socket, std::string name)
      : all_(all), socket_(std::move(socket)), name_(std::move(name)) {}

  void begin() {
    Failure ignored;
    socket_.set_option(tcp::no_delay(true), ignored);
    socket_.set_option(asio::socket_base::keep_alive(true), ignored);
    way_ = all_.desk.open(name_, said_in(all_.context, weak_from_this()), all_.options.json);
    is_known_ = !all_.options.token->is_wanted();
    all_.tell(name_ + " has come" + (is_known_ ? "" : ", and is asked for the token"));
    read();
  }
  void say(std::string line) {
    if (is_closed_) return;
    if (out_.size() >= most_not_taken) return close("it takes no answers");
    out_.push_back(std::move(line) + "\n");
    if (out_.size() == 1) write();
  }
  /// Once what has been said is written.
  void end(const std::string& why) {
    if (out_.empty()) return close(why);
    ends_because_ = why;
  }

  void close(const std::string& why) {
    if (is_closed_) return;
    is_closed_ = true;
    Failure ignored;
    socket_.close(ignored);
    all_.desk.close(way_);
    all_.tell(fmt::format("{} is gone: {}", name_, why));
    all_.connections.erase(shared_from_this());
  }

 private:
  void read() {
    socket_.async_read_some(asio::buffer(buffer_), [self = shared_from_this()](const Failure& failure,
                                                                               std::size_t count) {
      if (self->is_closed_) return;
      if (failure) {
        if (failure == asio::error::eof)
          self->lines_.finish([&](const std::string& text) { self->line(text); });
        return self->close(failure == asio::error::eof ? "it has hung up" : failure.message());
      }
      self->lines_.take({self->buffer_.data(), count}, [&](const std::string& text) { self->line(text); });
      if (!self->is_closed_) self->read();
    });
  }

  void line(const std::string& text) {
    if (is_closed_) return;
    if (is_known_) return all_.desk.line(way_, text);
    OrderLine read;
    try {
      read = read_order(text);
    } catch (const Error& error) {
      return refuse({text.substr(0, longest_order), {}, false}, error.what());
    }
    const SourceLine words = split_words(1, read.order);
    const std::string order = statement_text(words);
    const bool may_look =
        all_.options.look_without_token && !words.words.empty() && words.words[0].text == "watch";
    if (order == "stop everything" || may_look) return all_.desk.line(way_, text);
    if (words.words.size() == 2 && words.words[0].text == "token" &&
        all_.options.token->lets_in(std::string(words.words[1].text))) {
      is_known_ = true;
      read.order = "token";
      return answer(read, Operation::Answer::Kind::done, {});
    }
    const bool was_token = !words.words.empty() && words.words[0].text == "token";
    if (was_token) read.order = "token";
    refuse(read, was_token ? "it is another one" : "who orders here says 'token ...' first");
    if (was_token && ++tries_ >= 3) close("it said three wrong tokens");
  }
  void refuse(const OrderLine& read, const std::string& why) {
    answer(read, Operation::Answer::Kind::refused, why);
  }
  void answer(const OrderLine& read, Operation::Answer::Kind kind, const std::string& words) {
    say(answer_line(read, {kind, words, 0}, 0.0, all_.options.json || read.is_json));
  }

  void write() {
    asio::async_write(socket_, asio::buffer(out_.front()),
                      [self = shared_from_this()](const Failure& failure, std::size_t) {
                        if (self->is_closed_) return;
                        if (failure) return self->close(failure.message());
                        self->out_.pop_front();
                        if (!self->out_.empty()) return self->write();
                        if (!self->ends_because_.empty()) self->close(self->ends_because_);
                      });
  }

  Inside& all_;
  tcp::socket socket_;
  std::string name_;
  std::shared_ptr<OrderDesk::Way> way_{};
  std::array<char, 4096> buffer_{};
  LineSplitter lines_{};
  std::deque<std::string> out_{};
  bool is_known_ = false;
  bool is_closed_ = false;
  std::string ends_because_{};
  int tries_ = 0;
};

void SocketWays::Inside::accept() {
  acceptor.async_accept([this](const Failure& failure, tcp::socket socket) {
    if (failure == asio::error::operation_aborted || !acceptor.is_open()) return;
    if (!failure && connections.size() < most_sockets) {
      const auto come =
          std::make_shared<Connection>(*this, std::move(socket), fmt::format("socket {}", ++count));
      connections.insert(come);
      come->begin();
    }  // one too many is let go again
    accept();
  });
}

SocketWays::SocketWays(OrderDesk& desk, Options options) {
  const tcp::endpoint at = endpoint_of(options.listen);
  inside_ = std::make_unique<Inside>(desk, std::move(options));
  // From elsewhere nobody comes in without one.
  if (!at.address().is_loopback()) inside_->options.token->require();
  listen_at(inside_->acceptor, at);
  inside_->address = address_text(inside_->acceptor.local_endpoint());
  inside_->options.token->on_renewal([inside = inside_.get()] {
    asio::post(inside->context, [inside] {
      const auto all = inside->connections;
      for (const auto& each : all) each->close("the token is another one now");
    });
  });
  inside_->accept();
  inside_->thread.start([inside = inside_.get()] { inside->context.run(); });
}

SocketWays::~SocketWays() {
  const std::string why = "the rig is operated no longer";
  asio::steady_timer patience(inside_->context);
  asio::post(inside_->context, [inside = inside_.get(), &patience, why] {
    Failure ignored;
    inside->acceptor.close(ignored);
    const auto all = inside->connections;
    for (const auto& each : all) each->end(why);
    inside->work.reset();
    if (inside->connections.empty()) return;
    patience.expires_after(std::chrono::seconds(1));
    patience.async_wait([inside, why](const Failure&) {
      const auto left = inside->connections;
      for (const auto& each : left) each->close(why);
    });
  });
  inside_->thread.join();
}

const std::string& SocketWays::address() const {
  return inside_->address;
}

}  // namespace cogstride
