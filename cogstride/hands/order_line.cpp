#include "cogstride/hands/order_line.hpp"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

using Json = nlohmann::ordered_json;

OrderLine read_json(std::string_view line) {
  const Json json = Json::parse(line, nullptr, false);
  if (json.is_discarded()) throw Error("this is no JSON: write {\"order\": \"stop traverse\"}");
  for (const auto& [key, value] : json.items())
    if (key != "order" && key != "tag") throw Error(fmt::format("'{}' is not known; known: order, tag", key));
  const auto order = json.find("order");
  if (order == json.end() || !order->is_string())
    throw Error("it has no `order`, a text such as \"stop traverse\"");
  OrderLine read{order->get<std::string>(), {}, true};
  if (const auto tag = json.find("tag"); tag != json.end()) {
    if (!tag->is_string() && !tag->is_number_integer()) throw Error("its `tag` is a text or a whole number");
    read.tag = tag->dump();
  }
  return read;
}

OrderLine read_plain(std::string_view line) {
  if (!line.starts_with('@')) return {std::string(line), {}, false};
  const std::size_t blank = line.find(' ');
  if (blank == std::string_view::npos || blank < 2)
    throw Error("a tag stands before an order: @7 stop traverse");
  return {std::string(line.substr(blank + 1)), std::string(line.substr(1, blank - 1)), false};
}

}  // namespace

OrderLine read_order(std::string_view line) {
  while (!line.empty() && (line.back() == '\r' || line.back() == ' ')) line.remove_suffix(1);
  while (!line.empty() && line.front() == ' ') line.remove_prefix(1);
  if (line.size() > longest_order)
    throw Error(
        fmt::format("it has {} characters, and an order has {} at the most", line.size(), longest_order));
  OrderLine read = line.starts_with('{') ? read_json(line) : read_plain(line);
  for (const char each : read.order)
    if (static_cast<unsigned char>(each) < 0x20 && each != '\t')
      throw Error("it has a character that no order has");
  return read;
}

std::string answer_line(const OrderLine& order, const Operation::Answer& answer, double at_s, bool json) {
  if (!json) {
    const std::string tag = order.tag.empty() ? std::string() : "@" + order.tag + " ";
    std::string text = tag + to_text(answer.kind);
    for (const std::string& part : {order.order, answer.words})
      if (!part.empty()) text += ": " + part;
    return text;
  }
  Json out;
  if (!order.tag.empty()) out["tag"] = order.is_json ? Json::parse(order.tag) : Json(order.tag);
  out["answer"] = to_text(answer.kind);
  if (!order.order.empty()) out["order"] = order.order;
  if (!answer.words.empty()) out["words"] = answer.words;
  out["at_s"] = at_s;
  return out.dump(-1, ' ', false, Json::error_handler_t::replace);
}

}  // namespace cogstride
