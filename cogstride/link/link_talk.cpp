#include "cogstride/link/link_talk.hpp"

#include <algorithm>

namespace cogstride {
namespace {

constexpr std::int64_t ms = 1'000'000;
constexpr std::int64_t greets_again_ns = 40 * ms;
// A cut does not wait for long until it is known to have been lost.
constexpr std::int64_t cuts_again_ns = 4 * ms;
constexpr int cuts_soon_again = 2;

}  // namespace

void LinkTalk::greet(std::uint32_t mark, std::uint16_t session, std::uint16_t silence_ms) {
  greeting_ = {mark, session, silence_ms, -greets_again_ns};
  orders_.clear();
  first_ = 0;
  next_reading_ = 0;
  cuts_.reset();
}

void LinkTalk::cut(std::uint8_t count) {
  first_ = static_cast<std::uint8_t>(first_ + orders_.size());
  orders_.clear();
  cuts_ = count;
  cut_sent_ns_ = 0;
  cuts_said_ = 0;
}

void LinkTalk::order(LinkBytes order, std::uint8_t axis, std::uint8_t runs) {
  orders_.push_back({std::move(order), axis, runs});
}

std::size_t LinkTalk::runs_on_their_way(std::uint8_t axis) const {
  std::size_t sum = 0;
  for (const Order& order : orders_)
    if (order.axis == axis) sum += order.runs;
  return sum;
}

/// So long after an order it is said again, when it has not been heard of: its answer waits for what else the
/// line carries.
std::int64_t LinkTalk::patience_ns() const {
  return 2 * round_trip_ns_ + 2 * most_waiting_ns;
}

std::int64_t LinkTalk::cut_patience_ns() const {
  return cuts_said_ <= cuts_soon_again ? cuts_again_ns : patience_ns();
}

/// What is given to the port at once: with the frame that goes behind it more than the other end keeps,
/// should that be busy for two milliseconds. What it loses then is said again.
std::int64_t LinkTalk::may_wait_ns() const {
  constexpr double most_bytes = 100.0;
  return std::min(most_waiting_ns, static_cast<std::int64_t>(most_bytes / bytes_per_ns_));
}

void LinkTalk::frame(const LinkBytes& bytes, std::uint8_t number, std::int64_t now_ns) {
  const std::size_t before = out_.size();
  Sink sink{out_};
  chip::FrameWriter<Sink> writer(sink);
  writer.begin();
  writer.byte(bytes.what());
  writer.byte(number);
  writer.byte(next_reading_);
  for (const std::uint8_t byte : bytes.bytes()) writer.byte(byte);
  writer.end();
  acknowledges_ = false;
  ++counts_.frames_sent;
  const std::size_t size = out_.size() - before;
  counts_.bytes_sent += static_cast<std::int64_t>(size);
  free_ns_ =
      std::max(free_ns_, now_ns) + static_cast<std::int64_t>(static_cast<double>(size) / bytes_per_ns_);
}

std::span<const std::uint8_t> LinkTalk::send(std::int64_t now_ns) {
  out_.clear();
  if (greeting_) {
    if (now_ns - greeting_->sent_ns < greets_again_ns) return out_;
    greeting_->sent_ns = now_ns;
    frame(LinkBytes(LinkOrder::greet)
              .byte(chip::link_version)
              .word(greeting_->mark)
              .half(greeting_->session)
              .half(greeting_->silence_ms),
          0, now_ns);
    return out_;
  }
  if (cuts_ && (cut_sent_ns_ == 0 || now_ns - cut_sent_ns_ >= cut_patience_ns())) {
    cut_sent_ns_ = now_ns;
    ++cuts_said_;
    frame(LinkBytes(LinkOrder::cut).byte(*cuts_), first_, now_ns);
  }
  if (!orders_.empty() && orders_.front().sent_ns != 0 && now_ns - orders_.front().sent_ns >= patience_ns())
    say_again();
  for (std::size_t i = 0; i < orders_.size() && i < most_orders && !cuts_; ++i) {
    Order& order = orders_[i];
    if (order.sent_ns != 0) continue;
    if (free_ns_ - now_ns > may_wait_ns()) break;
    frame(order.bytes, static_cast<std::uint8_t>(first_ + i), now_ns);
    order.sent_ns = free_ns_;
    order.given_ns = now_ns;
    asks_now_ = true;  // whether it has come
  }
  if (asks_now_ || acknowledges_ || now_ns - asked_ns_ >= asks_each_ns) {
    asks_now_ = false;
    asked_ns_ = now_ns;
    stamp_ = static_cast<std::uint8_t>(stamp_ == 255 ? 1 : stamp_ + 1);
    asked_[stamp_] = now_ns;
    frame(LinkBytes(LinkOrder::ask).byte(stamp_), 0, now_ns);
  }
  return out_;
}

std::int64_t LinkTalk::next_ns() const {
  if (greeting_) return greeting_->sent_ns + greets_again_ns;
  if (asks_now_ || acknowledges_) return 0;
  std::int64_t next = asked_ns_ + asks_each_ns;
  if (cuts_) next = std::min(next, cut_sent_ns_ + cut_patience_ns());
  if (!orders_.empty() && orders_.front().sent_ns != 0)
    next = std::min(next, orders_.front().sent_ns + patience_ns());
  for (std::size_t i = 0; i < orders_.size() && i < most_orders; ++i)
    if (orders_[i].sent_ns == 0) return std::min(next, free_ns_ - may_wait_ns());
  return next;
}

void LinkTalk::say_again() {
  for (Order& order : orders_) {
    if (order.sent_ns == 0) break;
    order.sent_ns = 0;
    ++counts_.sent_again;
  }
}

void LinkTalk::heard(std::uint8_t next, std::int64_t asked_ns, std::int64_t now_ns) {
  constexpr std::int64_t again_at_most_each = 4 * ms;  // the chip may have no room for it yet
  const auto many = static_cast<std::uint8_t>(next - first_);
  // A question that came to it behind an order, and it still waits for that: the order was lost on the way.
  if (many == 0 && asked_ns != 0 && !orders_.empty() && orders_.front().sent_ns != 0 &&
      orders_.front().given_ns <= asked_ns && now_ns - orders_.front().given_ns >= again_at_most_each)
    return say_again();
  if (many == 0 || many > std::min(orders_.size(), most_orders)) return;
  for (std::uint8_t i = 0; i < many; ++i)
    if (orders_[i].sent_ns == 0) return;  // of another time
  orders_.erase(orders_.begin(), orders_.begin() + many);
  first_ = next;
}

bool LinkTalk::read(std::span<const std::uint8_t> bytes, LinkMessage& message, std::uint8_t& number,
                    std::int64_t now_ns) {
  chip::FrameFields fields(bytes.data(), static_cast<std::uint8_t>(bytes.size()));
  message.what = fields.byte();
  number = fields.byte();
  const std::uint8_t next = fields.byte();
  switch (message.what) {
    case LinkReading::hail:
      message.version = fields.byte();
      message.mark = fields.word();
      message.session = fields.half();
      message.tick = fields.word();
      message.count = fields.byte();
      while (fields.left() > 0) message.words.push_back(fields.byte());
      break;
    case LinkReading::told: {
      const std::uint8_t stamp = fields.byte();
      message.tick = fields.word();
      message.how = fields.byte();
      while (fields.left() > 0) message.room.push_back(fields.byte());
      if (stamp != 0 && asked_[stamp] != 0) {
        message.asked_ns = asked_[stamp];
        asked_[stamp] = 0;  // once
        const std::int64_t trip = now_ns - message.asked_ns;
        // It forgets slowly.
        round_trip_ns_ = trip < round_trip_ns_ ? trip : round_trip_ns_ + (trip - round_trip_ns_) / 16;
      }
      break;
    }
    case LinkReading::rested:
      message.count = fields.byte();
      message.tick = fields.word();
      while (fields.left() > 0) message.words.push_back(fields.word());
      break;
    case LinkReading::edge: {
      const std::uint8_t line = fields.byte();
      message.which = line & 0x7f;
      message.high = (line & 0x80) != 0;
      message.tick = fields.word();
      message.ended = fields.byte();
      break;
    }
    case LinkReading::code:
      message.which = fields.byte();
      message.tick = fields.word();
      message.value = fields.half();
      break;
    case LinkReading::count:
    case LinkReading::held:
    case LinkReading::place:
    case LinkReading::turned:
      message.which = fields.byte();
      message.tick = fields.word();
      message.value = static_cast<std::int32_t>(fields.word());
      break;
    case LinkReading::stood:
      message.which = fields.byte();
      message.tick = fields.word();
      message.value = static_cast<std::int32_t>(fields.word());
      message.how = fields.byte();
      break;
    case LinkReading::late:
      message.which = fields.byte();
      message.tick = fields.word();
      message.value = static_cast<std::int32_t>(fields.word());
      break;
    default:
      return false;
  }
  if (fields.is_short()) return false;
  if (message.what != LinkReading::hail) heard(next, message.asked_ns, now_ns);
  return true;
}

void LinkTalk::hear(std::span<const std::uint8_t> bytes, std::int64_t now_ns,
                    std::vector<LinkMessage>& messages) {
  for (const std::uint8_t byte : bytes) {
    if (!reader_.take(byte)) continue;
    LinkMessage message;
    std::uint8_t number = 0;
    if (!read({reader_.bytes(), reader_.size()}, message, number, now_ns)) continue;
    ++counts_.frames_heard;
    if (message.what == LinkReading::hail) {
      if (greeting_ && message.session == greeting_->session) greeting_.reset();
    } else if (greeting_) {
      continue;  // of another session
    }
    if (message.what >= LinkReading::edge) {
      acknowledges_ = true;
      if (number != next_reading_) continue;
      next_reading_ = static_cast<std::uint8_t>(next_reading_ + 1);
    }
    if (message.what == LinkReading::rested && cuts_ && message.count == *cuts_) cuts_.reset();
    messages.push_back(std::move(message));
  }
  counts_.refused = reader_.refused();
}

}  // namespace cogstride
