#include <utility>  // Beast wants it before its own

#include "cogstride/page/page_server.hpp"

#include <fmt/format.h>

#include <boost/asio/io_context.hpp>
#include <boost/asio/post.hpp>
#include <boost/asio/steady_timer.hpp>
#include <boost/asio/thread_pool.hpp>
#include <boost/beast/core/flat_buffer.hpp>
#include <boost/beast/core/tcp_stream.hpp>
#include <boost/beast/http.hpp>
#include <boost/beast/websocket.hpp>
#include <deque>
#include <mutex>
#include <nlohmann/json.hpp>
#include <set>

#include "cogstride/hands/listening.hpp"
#include "cogstride/hands/state_line.hpp"
#include "cogstride/page/host_names.hpp"
#include "cogstride/page/page_files.hpp"
#include "cogstride/page/page_messages.hpp"
#include "cogstride/page/page_model.hpp"
#include "cogstride/page/page_record.hpp"
#include "cogstride/quantity/error.hpp"
#include "cogstride/script/source_line.hpp"
#include "cogstride/trace/writer_thread.hpp"

namespace cogstride {
namespace {

namespace asio = boost::asio;
namespace beast = boost::beast;
namespace http = beast::http;
namespace websocket = beast::websocket;
using asio::ip::tcp;
using Failure = beast::error_code;
using Json = nlohmann::ordered_json;
using Text = std::shared_ptr<const std::string>;

constexpr std::size_t most_connections = 512;
constexpr std::size_t most_not_taken = 10'000;  // answers
constexpr std::size_t longest_message = 4 * longest_order;
constexpr std::size_t longest_header = 8192;
constexpr std::size_t samples_at_first = 600;  // half a minute
constexpr int most_records = 4;
constexpr int most_wrong_tokens = 3;
constexpr auto patience = std::chrono::seconds(10);  // with one who asks slowly
const ExactTime shown_every = ExactTime::from_base({1, 10});
constexpr double way_to_and_fro = 0.2;  // s, that a state and what is ordered upon it may take beside

std::string dumped(const Json& json) {
  return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::string_view sent_in(const http::fields& fields, http::field name) {
  const auto value = fields[name];
  return {value.data(), value.size()};
}

}  // namespace

struct PageServer::Inside {
  Inside(Bench& of, Operation& by_hand, OrderDesk& at, Options wanted)
      : bench(of),
        operation(by_hand),
        desk(at),
        options(std::move(wanted)),
        acceptor(context),
        work(asio::make_work_guard(context)) {
    if (!options.token) options.token = std::make_shared<AccessToken>();
  }

  class Visit;
  class Viewer;
  void accept();
  void state_has_come(const OperationState& state);
  void tell_viewers();
  void let_all_go(const std::string& why);
  void tell(const std::string& words) const {
    if (options.tell) options.tell(words);
  }
  [[nodiscard]] Text samples_from(std::int64_t place);

  Bench& bench;
  Operation& operation;
  OrderDesk& desk;
  Options options;
  std::string model{};  // JSON
  double hold_lasts = 0.3;

  std::mutex mutex{};  // of the next two, which the bench's thread sets
  std::shared_ptr<const OperationState> latest{};
  bool is_told = true;

  // All that follows is the server's own thread's. What is left in the context counts itself out at its end.
  std::size_t connections = 0;
  asio::io_context context{1};
  tcp::acceptor acceptor;
  asio::executor_work_guard<asio::io_context::executor_type> work;
  std::string address{};
  bool is_over = false;
  int count = 0;
  std::set<std::shared_ptr<Viewer>> viewers{};
  Text state{};
  double state_at = 0.0;  // s, of the bench
  std::int64_t states = 0;
  std::pair<std::int64_t, std::int64_t> sampled{-1, -1};  // from, to: of the next
  Text samples{};
  int records = 0;  // that are being written
  asio::thread_pool writer{1};
  WriterThread thread{};
};

/// One who looks on, and orders once the token has been said.
class PageServer::Inside::Viewer : public std::enable_shared_from_this<Viewer> {
 public:
  Viewer(Inside& all, tcp::socket socket, std::string name)
      : all_(all), stream_(std::move(socket)), name_(std::move(name)) {}
  ~Viewer() { --all_.connections; }
  Viewer(const Viewer&) = delete;
  Viewer& operator=(const Viewer&) = delete;

  void begin(const http::request<http::empty_body>& asked) {
    websocket::stream_base::timeout times{patience, std::chrono::seconds(20), true};
    stream_.set_option(times);
    stream_.read_message_max(longest_message);
    stream_.async_accept(asked, [self = shared_from_this()](const Failure& failure) {
      if (failure) return;
      self->has_come();
    });
  }
  /// There is another state, or there are more samples.
  void look() { write(); }
  void say(std::string text) {
    if (is_closed_ || !ends_because_.empty()) return;
    if (out_.size() >= most_not_taken) return close("it takes no answers");
    out_.push_back(std::make_shared<const std::string>(std::move(text)));
    write();
  }
  void end(const std::string& why) {
    if (is_closed_) return;
    say(dumped({{"over", why}}));
    ends_because_ = why;
    write();
  }
  void close(const std::string& why) {
    if (is_closed_) return;
    is_closed_ = true;
    Failure ignored;
    beast::get_lowest_layer(stream_).socket().close(ignored);
    if (way_) all_.desk.close(way_);
    all_.tell(fmt::format("{} is gone: {}", name_, why));
    all_.viewers.erase(shared_from_this());
    if (all_.is_over && all_.viewers.empty()) all_.context.stop();
  }

 private:
  void has_come() {
    way_ = all_.desk.open(name_, said_in(all_.context, weak_from_this()), true);
    all_.viewers.insert(shared_from_this());
    is_known_ = !all_.options.token->is_wanted();
    all_.tell(name_ + " has come" + (is_known_ ? "" : ", and is asked for the token"));
    if (is_known_ || all_.options.look_without_token) show();
    if (!is_known_) say(dumped({{"wanted", "token"}, {"looks", all_.options.look_without_token}}));
    read();
  }
  void show() {
    if (std::exchange(shows_, true)) return;
    samples_from_ = -1;
    say(begin_message(name_, all_.options.window, all_.model));
    show_scripts();
  }

  /// Read in a thread of its own: foreseeing a script takes a while.
  void show_scripts() {
    if (all_.options.scripts.empty()) return;
    asio::post(all_.writer, [self = shared_from_this()] {
      asio::post(self->all_.context, [self, line = scripts_message(self->all_.options.scripts,
                                                                   self->all_.bench.rig())]() mutable {
        self->say(std::move(line));
      });
    });
  }

  void read() {
    stream_.async_read(buffer_, [self = shared_from_this()](const Failure& failure, std::size_t) {
      if (self->is_closed_) return;
      if (failure == websocket::error::closed || failure == asio::error::eof)
        return self->close("it was closed");
      if (failure) return self->close(failure.message());
      if (!self->stream_.got_text()) return self->close("it sends what is no text");
      const auto bytes = self->buffer_.data();
      self->take({static_cast<const char*>(bytes.data()), bytes.size()});
      self->buffer_.consume(self->buffer_.size());
      if (!self->is_closed_) self->read();
    });
  }

  void refuse(const Json& of, const std::string& why) {
    Json out;
    if (of.is_object() && of.contains("tag")) out["tag"] = of["tag"];
    out["answer"] = "refused";
    if (of.is_object() && of.contains("order")) out["order"] = of["order"];
    out["words"] = why;
    say(dumped(out));
  }

  void take(std::string_view text) {
    const Json json = Json::parse(text, nullptr, false);
    if (!json.is_object()) return refuse({}, "a message is a JSON object: {\"order\": \"stop traverse\"}");
    if (const auto token = json.find("token"); token != json.end()) return take_token(*token);
    if (const auto look = json.find("look"); look != json.end()) return take_look(*look);
    const auto order = json.find("order");
    if (order == json.end() || !order->is_string())
      return refuse(json, "it has no `order`, a text such as \"stop traverse\"");
    const std::string said = statement_text(split_words(1, order->get<std::string>()));
    if (!is_known_ && said != "stop everything") return refuse(json, "who orders here says the token first");
    if (said.starts_with("jog ") && is_late(json))
      return refuse(json, "it came too late: the link stood still");
    Json line{{"order", *order}};
    if (json.contains("tag")) line["tag"] = json["tag"];
    all_.desk.line(way_, dumped(line));
  }

  /// Whether whoever sent it had seen only what is long past: a hold that the link has kept back is none any
  /// more. By the bench's time alone: clocks drift, and stand while a phone sleeps.
  [[nodiscard]] bool is_late(const Json& json) const {
    const auto seen = json.find("seen_s");
    if (seen == json.end() || !seen->is_number()) return false;
    return !(all_.state_at - seen->get<double>() <= all_.hold_lasts + way_to_and_fro);
  }

  void take_token(const Json& token) {
    if (is_known_) return;
    if (token.is_string() && all_.options.token->lets_in(token.get<std::string>())) {
      is_known_ = true;
      say(dumped({{"let_in", true}}));
      return show();
    }
    say(dumped({{"let_in", false}, {"words", "it is another token"}}));
    if (++tries_ >= most_wrong_tokens) end("it said three wrong tokens");
  }

  void take_look(const Json& look) {
    if (!shows_) return refuse({}, "who looks here says the token first");
    if (look == "scripts") return show_scripts();
    const auto lines = look.is_object() ? look.find("lines") : look.end();
    if (lines == look.end() || !lines->is_number() || all_.options.window == nullptr)
      return refuse(
          {},
          "`look` is \"scripts\", or {\"lines\": 0.1, \"of\": \"traverse\"}: the last 0.1 s in which "
          "a line of it has changed");
    const auto of = look.find("of");
    say(lines_message(*all_.options.window, std::clamp(lines->get<double>(), 1e-4, 600.0),
                      of != look.end() && of->is_string() ? of->get<std::string>() : ""));
  }

  /// What is said comes first; of what is shown the latest alone.
  void write() {
    if (is_closed_ || writing_) return;
    if (!out_.empty()) {
      writing_ = std::move(out_.front());
      out_.pop_front();
    } else if (!ends_because_.empty()) {
      return close(ends_because_);
    } else if (shows_ && all_.state && shown_ != all_.states) {
      shown_ = all_.states;
      writing_ = all_.state;
    } else if (shows_ && all_.options.window != nullptr) {
      writing_ = all_.samples_from(samples_from_);
      if (writing_) samples_from_ = all_.sampled.second;
    }
    if (!writing_) return;
    stream_.text(true);
    stream_.async_write(asio::buffer(*writing_),
                        [self = shared_from_this()](const Failure& failure, std::size_t) {
                          self->writing_ = nullptr;
                          if (self->is_closed_) return;
                          if (failure) return self->close(failure.message());
                          self->write();
                        });
  }

  Inside& all_;
  websocket::stream<beast::tcp_stream> stream_;
  std::string name_;
  std::shared_ptr<OrderDesk::Way> way_{};
  beast::flat_buffer buffer_{};
  std::deque<Text> out_{};
  Text writing_{};
  std::int64_t shown_ = 0;
  std::int64_t samples_from_ = -1;
  bool is_known_ = false;
  bool shows_ = false;
  std::string ends_because_{};
  bool is_closed_ = false;
  int tries_ = 0;
};

/// One who asks for the page, a part of it or the record, and may stay as a viewer.
class PageServer::Inside::Visit : public std::enable_shared_from_this<Visit> {
 public:
  Visit(Inside& all, tcp::socket socket) : all_(all), stream_(std::move(socket)) { ++all_.connections; }
  ~Visit() {
    if (!is_viewer_) --all_.connections;
  }
  Visit(const Visit&) = delete;
  Visit& operator=(const Visit&) = delete;

  void read() {
    parser_.emplace();
    parser_->header_limit(longest_header);
    parser_->body_limit(0);
    stream_.expires_after(patience);
    http::async_read(stream_, buffer_, *parser_,
                     [self = shared_from_this()](const Failure& failure, std::size_t) {
                       if (failure == http::error::end_of_stream) return self->close();
                       if (failure == http::error::body_limit || failure == http::error::header_limit)
                         return self->answer(http::status::payload_too_large, "it is too long");
                       if (failure) return;
                       self->take();
                     });
  }

 private:
  using Answer = http::response<http::string_body>;

  void take() {
    const auto& asked = parser_->get();
    const std::string_view host = sent_in(asked, http::field::host);
    const std::string_view origin = sent_in(asked, http::field::origin);
    if (!names_this_computer(host))
      return answer(http::status::misdirected_request, "this is another computer");
    if (!origin.empty() && origin != "http://" + std::string(host) &&
        origin != "https://" + std::string(host))
      return answer(http::status::forbidden, "another page sends this");
    std::string path(asked.target().data(), asked.target().size());
    path = path.substr(0, path.find('?'));
    if (websocket::is_upgrade(asked)) {
      if (path != "/orders") return answer(http::status::not_found, "orders go to /orders");
      return begin_viewing();
    }
    if (asked.method() != http::verb::get && asked.method() != http::verb::head)
      return answer(http::status::method_not_allowed, "this is only looked at: GET");
    if (path.starts_with("/record.")) return give_record(path.substr(8));
    if (path == "/") path = "/page.html";
    for (const BuiltInFile& file : page_files())
      if (file.path == path) return give(file);
    answer(http::status::not_found, "there is no such part of the page");
  }

  void begin_viewing() {
    Failure failure;
    const tcp::endpoint from = stream_.socket().remote_endpoint(failure);
    if (failure) return;
    stream_.expires_never();
    stream_.socket().set_option(tcp::no_delay(true), failure);
    std::string name = fmt::format("page {}", ++all_.count);
    if (!from.address().is_loopback()) name += fmt::format(" ({})", from.address().to_string());
    is_viewer_ = true;
    std::make_shared<Viewer>(all_, stream_.release_socket(), std::move(name))
        ->begin(http::request<http::empty_body>(parser_->get()));
  }

  [[nodiscard]] Answer begun(http::status status) const {
    const auto& asked = parser_->get();
    Answer answer{status, asked.version()};
    answer.keep_alive(asked.keep_alive());
    answer.set(http::field::cache_control, "no-cache");
    answer.set("X-Content-Type-Options", "nosniff");
    answer.set("Referrer-Policy", "no-referrer");
    answer.set("Cross-Origin-Resource-Policy", "same-origin");
    answer.set("Content-Security-Policy",
               fmt::format("default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; "
                           "connect-src 'self' ws://{}; base-uri 'none'; form-action 'none'; "
                           "frame-ancestors 'none'",
                           sent_in(asked, http::field::host)));
    return answer;
  }
  void answer(http::status status, const std::string& words) {
    Answer answer = begun(status);
    answer.set(http::field::content_type, "text/plain; charset=utf-8");
    answer.body() = words + "\n";
    answer.keep_alive(false);
    send(std::move(answer));
  }
  void give(const BuiltInFile& file) {
    const bool has_it = sent_in(parser_->get(), http::field::if_none_match) == file.mark;
    Answer answer = begun(has_it ? http::status::not_modified : http::status::ok);
    answer.set(http::field::etag, {file.mark.data(), file.mark.size()});
    answer.set(http::field::content_type, {file.type.data(), file.type.size()});
    if (!has_it) answer.body() = file.text;
    send(std::move(answer));
  }

  /// Written in a thread of its own: it takes a while.
  void give_record(const std::string& ending) {
    const auto& asked = parser_->get();
    std::string_view said = sent_in(asked, http::field::authorization);
    if (said.starts_with("Bearer ")) said.remove_prefix(7);
    if (!all_.options.token->lets_in(std::string(said)))
      return answer(http::status::unauthorized, "who takes the record says the token");
    if (all_.options.window == nullptr) return answer(http::status::not_found, "no record is kept here");
    const auto form = ending == "csv"    ? std::optional(RecordForm::csv)
                      : ending == "vcd"  ? std::optional(RecordForm::vcd)
                      : ending == "json" ? std::optional(RecordForm::json)
                                         : std::nullopt;
    if (!form) return answer(http::status::not_found, "the record is there as csv, vcd and json");
    if (all_.records >= most_records)
      return answer(http::status::service_unavailable, "other records are being written: ask again");
    ++all_.records;
    stream_.expires_never();
    asio::post(all_.writer, [self = shared_from_this(), form = *form, ending] {
      std::string text;
      std::string wrong;
      try {
        text = record_text(*self->all_.options.window, form);
      } catch (const std::exception& error) {
        wrong = error.what();
      }
      auto& context = self->all_.context;
      asio::post(context, [self, text = std::move(text), wrong, ending]() mutable {
        --self->all_.records;
        if (!wrong.empty()) return self->answer(http::status::internal_server_error, wrong);
        Answer answer = self->begun(http::status::ok);
        answer.set(http::field::content_type, ending == "json"  ? "application/json"
                                              : ending == "csv" ? "text/csv; charset=utf-8"
                                                                : "text/plain; charset=utf-8");
        answer.set(http::field::content_disposition,
                   fmt::format("attachment; filename=\"record.{}\"", ending));
        answer.body() = std::move(text);
        self->send(std::move(answer));
      });
    });
  }

  void send(Answer made) {
    made.prepare_payload();
    auto answer = std::make_shared<Answer>(std::move(made));
    const bool is_head = parser_->get().method() == http::verb::head;
    stream_.expires_after(std::chrono::seconds(60));
    const auto sent = [self = shared_from_this(), answer](const Failure& failure, std::size_t) {
      if (failure) return;
      if (answer->need_eof()) return self->close();
      self->read();
    };
    if (!is_head) return http::async_write(stream_, *answer, sent);
    auto head = std::make_shared<http::response_serializer<http::string_body>>(*answer);
    http::async_write_header(
        stream_, *head, [sent, head](const Failure& failure, std::size_t count) { sent(failure, count); });
  }
  void close() {
    Failure ignored;
    stream_.socket().shutdown(tcp::socket::shutdown_send, ignored);
  }

  Inside& all_;
  beast::tcp_stream stream_;
  beast::flat_buffer buffer_{};
  std::optional<http::request_parser<http::empty_body>> parser_{};
  bool is_viewer_ = false;
};

void PageServer::Inside::accept() {
  acceptor.async_accept([this](const Failure& failure, tcp::socket socket) {
    if (failure == asio::error::operation_aborted || !acceptor.is_open()) return;
    if (!failure && connections < most_connections)
      std::make_shared<Visit>(*this, std::move(socket))->read();  // one too many is let go again
    accept();
  });
}

/// In the bench's thread: what is not told yet is replaced.
void PageServer::Inside::state_has_come(const OperationState& now) {
  auto kept = std::make_shared<const OperationState>(now);
  {
    const std::lock_guard lock(mutex);
    latest = std::move(kept);
    if (!std::exchange(is_told, false)) return;
  }
  asio::post(context, [this] { tell_viewers(); });
}

void PageServer::Inside::tell_viewers() {
  std::shared_ptr<const OperationState> now;
  {
    const std::lock_guard lock(mutex);
    now = std::move(latest);
    is_told = true;
  }
  if (!now || viewers.empty()) return;
  state = std::make_shared<const std::string>(state_line(*now, true));
  state_at = now->at;
  ++states;
  const auto all = viewers;
  for (const auto& each : all) each->look();
}

void PageServer::Inside::let_all_go(const std::string& why) {
  const auto all = viewers;
  for (const auto& each : all) each->end(why);
}

/// Null: there are none.
Text PageServer::Inside::samples_from(std::int64_t place) {
  if (samples && sampled.first == place && options.window->count() == sampled.second) return samples;
  const RunWindow::Samples found =
      options.window->samples(std::max<std::int64_t>(place, 0), samples_at_first);
  if (found.samples.empty()) return nullptr;
  sampled = {place, found.next};
  samples = std::make_shared<const std::string>(samples_message(*options.window, found));
  return samples;
}

PageServer::PageServer(Bench& bench, Operation& operation, OrderDesk& desk, Options options) {
  const tcp::endpoint at = endpoint_of(options.listen);
  inside_ = std::make_unique<Inside>(bench, operation, desk, std::move(options));
  Inside& in = *inside_;
  if (!at.address().is_loopback()) in.options.token->require();
  listen_at(in.acceptor, at);
  in.address = address_text(in.acceptor.local_endpoint());
  in.model = page_model(bench, operation, in.options.where);
  in.hold_lasts = bench.rig().operating.hold_lasts.in(units::s);
  in.options.token->on_renewal(
      [&in] { asio::post(in.context, [&in] { in.let_all_go("the token is another one now"); }); });
  // As an order, so that a run that is played again looks as often.
  (void)bench.post("the page: watch every 100 ms", [&in] {
    in.operation.show("the page", shown_every,
                      [&in](const OperationState& state) { in.state_has_come(state); });
  });
  in.accept();
  in.thread.start([&in] { in.context.run(); });
}

PageServer::~PageServer() {
  Inside& in = *inside_;
  in.operation.show("the page", shown_every, {});
  asio::steady_timer ends(in.context);
  asio::post(in.context, [&in, &ends] {
    Failure ignored;
    const std::string why = "the rig is operated no longer";
    in.acceptor.close(ignored);
    in.is_over = true;
    if (in.viewers.empty()) return in.context.stop();
    in.let_all_go(why);
    ends.expires_after(std::chrono::seconds(1));
    ends.async_wait([&in, why](const Failure&) {
      const auto left = in.viewers;
      for (const auto& each : left) each->close(why);
    });
  });
  in.thread.join();
  in.writer.join();
}

const std::string& PageServer::address() const {
  return inside_->address;
}

std::vector<std::string> PageServer::links() const {
  const Inside& in = *inside_;
  const std::string port = in.address.substr(in.address.rfind(':'));
  const std::optional<std::string> token = in.options.token->wanted();
  const std::string said = token ? "#token=" + *token : "";
  std::vector<std::string> all;
  const bool is_any = in.address.starts_with("0.0.0.0:") || in.address.starts_with("[::]:");
  if (is_any)
    for (const std::string& each : addresses_of_this_computer())
      all.push_back(fmt::format("http://{}{}/{}", each, port, said));
  if (all.empty()) all.push_back(fmt::format("http://{}/{}", is_any ? "127.0.0.1" + port : in.address, said));
  return all;
}

}  // namespace cogstride
