#include "cogstride/board/bus/process_data.hpp"

#include <fmt/format.h>

#include "cogstride/board/bus/bus_services.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr int most_bits = 8 * static_cast<int>(Frame::most_bytes);
constexpr int each_common_instant = 1;
constexpr int when_it_comes = 255;

std::uint16_t index_of(const ProcessData& data, std::uint16_t told, std::uint16_t ordered) {
  return static_cast<std::uint16_t>((data.is_told ? told : ordered) + data.number - 1);
}

}  // namespace

int bits_of(const ProcessData& data) {
  int bits = 0;
  for (const BusObject& object : data.objects) {
    const int size = size_of(object.type);
    if (size == 0) throw RangeError(to_text(object) + " is no number: process data cannot hold it");
    bits += 8 * size;
  }
  if (bits > most_bits)
    throw RangeError(fmt::format("process data of {} bits; a frame holds {}", bits, most_bits));
  return bits;
}

std::uint32_t id_of(const ProcessData& data, int node) {
  return data.is_told ? told_data_id(data.number, node) : ordered_data_id(data.number, node);
}

Frame pack(const ProcessData& data, int node, std::span<const std::int64_t> values) {
  Frame frame{id_of(data, node), static_cast<std::uint8_t>(bits_of(data) / 8), {}};
  std::uint8_t* at = frame.bytes.data();
  for (std::size_t i = 0; i < data.objects.size(); ++i) {
    put_number(data.objects[i], values[i], at);
    at += size_of(data.objects[i].type);
  }
  return frame;
}

bool unpack(const ProcessData& data, int node, const Frame& frame, std::span<std::int64_t> values) {
  if (frame.id != id_of(data, node) || frame.size != bits_of(data) / 8) return false;
  const std::uint8_t* at = frame.bytes.data();
  for (std::size_t i = 0; i < data.objects.size(); ++i) {
    values[i] = number_of(data.objects[i].type, at);
    at += size_of(data.objects[i].type);
  }
  return true;
}

BusObject data_id_object(const ProcessData& data) {
  return {index_of(data, 0x1800, 0x1400), 1, ObjectType::u32, "id of process data"};
}
BusObject data_when_object(const ProcessData& data) {
  return {index_of(data, 0x1800, 0x1400), 2, ObjectType::u8, "when process data comes in force"};
}
BusObject data_entry_object(const ProcessData& data, int place) {
  return {index_of(data, 0x1a00, 0x1600), static_cast<std::uint8_t>(place),
          place == 0 ? ObjectType::u8 : ObjectType::u32,
          place == 0 ? "how many objects process data holds" : "object in process data"};
}

ObjectValue switched_off(const ProcessData& data, int node) {
  return {data_id_object(data), data_is_off | static_cast<std::int64_t>(id_of(data, node))};
}

std::vector<ObjectValue> settings_of(const ProcessData& data, int node) {
  std::vector<ObjectValue> settings{switched_off(data, node), {data_entry_object(data, 0), 0}};
  int place = 0;
  for (const BusObject& object : data.objects)
    settings.emplace_back(data_entry_object(data, ++place), std::int64_t{object.index} << 16 |
                                                                std::int64_t{object.sub} << 8 |
                                                                8 * size_of(object.type));
  settings.emplace_back(data_entry_object(data, 0), place);
  settings.emplace_back(data_when_object(data), data.is_at_once ? when_it_comes : each_common_instant);
  settings.emplace_back(data_id_object(data), id_of(data, node));
  return settings;
}

}  // namespace cogstride
