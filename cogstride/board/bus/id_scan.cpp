#include "cogstride/board/bus/id_scan.hpp"

#include <algorithm>

#include "cogstride/board/bus/bus_services.hpp"
#include "cogstride/board/bus/drive_profile.hpp"

namespace cogstride {
namespace {

constexpr std::uint8_t asks = 0x40;  // initiate upload (CiA 301)
constexpr std::uint8_t answers_at_once = 0x43;

bool is_of_device_type(const Frame& frame) {
  return frame.size == Frame::most_bytes && (frame.bytes[0] & 0xe3) == (answers_at_once & 0xe3) &&
         frame.bytes[1] == (objects::device_type.index & 0xff) &&
         frame.bytes[2] == objects::device_type.index >> 8 && frame.bytes[3] == 0;
}

}  // namespace

bool IdScan::Found::is_drive() const {
  return static_cast<std::uint16_t>(device_type) == objects::drive_profile_number;
}

IdScan::IdScan(Tick patience, Tick apart) : patience_(patience), apart_(apart) {}

std::optional<Frame> IdScan::send(Tick now) {
  if (has_ended_) return std::nullopt;
  if (listens_) {
    if (now < sends_at_) return std::nullopt;
    if (asked_ < most_node_id) {
      ++asked_;
      sends_at_ = now + (asked_ == most_node_id ? patience_ : apart_);
      Frame frame{access_request_id(asked_), Frame::most_bytes, {}};
      frame.bytes[0] = asks;
      frame.bytes[1] = objects::device_type.index & 0xff;
      frame.bytes[2] = objects::device_type.index >> 8;
      return frame;
    }
    listens_ = false;
    std::sort(found_.begin(), found_.end(), [](const Found& a, const Found& b) { return a.id < b.id; });
    begin_next();
  }
  while (!has_ended_) {
    if (const std::optional<Frame> frame = access_->send(now)) return frame;
    take();
    if (!access_->is_idle()) return std::nullopt;
    ++place_;
    begin_next();
  }
  return std::nullopt;
}

void IdScan::begin_next() {
  if (place_ == found_.size()) {
    has_ended_ = true;
    access_.reset();
    return;
  }
  access_.emplace(found_[place_].id, patience_);
  for (const BusObject& object :
       {objects::vendor, objects::product, objects::revision, objects::serial_number})
    access_->read(object);
}

void IdScan::take() {
  while (const std::optional<ObjectAccess::Result> result = access_->take()) {
    if (result->kind != ObjectAccess::Result::Kind::read) continue;
    Found& found = found_[place_];
    std::optional<std::int64_t>* const parts[] = {&found.vendor, &found.product, &found.revision,
                                                  &found.serial_number};
    *parts[result->object.sub - 1] = result->value;
  }
}

void IdScan::hear(const Frame& frame) {
  if (has_ended_) return;
  if (!listens_) return access_->hear(frame);
  const std::uint32_t first = access_answer_id(1);
  if (frame.id < first || frame.id >= first + most_node_id || !is_of_device_type(frame)) return;
  const int id = static_cast<int>(frame.id - first) + 1;
  if (id > asked_) return;
  const auto same = [&](const Found& each) { return each.id == id; };
  if (const auto before = std::find_if(found_.begin(), found_.end(), same); before != found_.end()) {
    before->is_twice = true;
    return;
  }
  Found found;
  found.id = id;
  found.device_type = static_cast<std::uint32_t>(number_of(ObjectType::u32, frame.bytes.data() + 4));
  found_.push_back(found);
}

Tick IdScan::next() const {
  if (has_ended_) return never;
  if (listens_) return sends_at_;
  return access_->is_idle() ? 0 : access_->next();
}

}  // namespace cogstride
