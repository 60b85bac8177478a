#include "cogstride/page/page_record.hpp"

#include <cmath>
#include <nlohmann/json.hpp>

#include "cogstride/files/scratch_folder.hpp"
#include "cogstride/report/csv_writer.hpp"
#include "cogstride/report/vcd_writer.hpp"
#include "cogstride/rig/diagnostic.hpp"

namespace cogstride {
namespace {

using Json = nlohmann::ordered_json;

/// As the writers of whole runs write it.
template <class Writer>
std::string written(const RunWindow& window, const char* name) {
  const ScratchFolder scratch;
  const std::string file = scratch.file(name);
  Writer writer(file);
  window.tell(writer);
  return read_text_file(file, std::string::npos);
}

class JsonSink final : public TraceSink {
 public:
  // NOLINTNEXTLINE(bugprone-exception-escape): an empty document, which takes nothing from the heap
  JsonSink() = default;
  void begin(const TraceLayout& layout) override {
    layout_ = layout;
    out_["rig"] = layout.rig;
    out_["signals"] = Json::array();
    for (const TracedSignal& signal : layout.signals)
      out_["signals"].push_back({{"name", signal.name}, {"unit", signal.unit}});
    out_["happened"] = Json::array();
    out_["samples"] = Json::array();
  }
  void edge(Tick, LineId, bool) override {}
  void sample(Tick at, std::span<const double> values) override {
    Json row = Json::array({layout_.seconds(at)});
    for (const double value : values) row.push_back(std::isfinite(value) ? Json(value) : Json());
    out_["samples"].push_back(std::move(row));
  }
  void event(const TraceEvent& event) override {
    out_["happened"].push_back({{"at_s", layout_.seconds(event.at)},
                                {"who", event.who},
                                {"what", event.text},
                                {"fault", event.is_fault()}});
  }
  void end(Tick at) override { out_["ends_at_s"] = layout_.seconds(at); }
  [[nodiscard]] std::string text() const {
    return out_.dump(-1, ' ', false, Json::error_handler_t::replace) + "\n";
  }

 private:
  TraceLayout layout_{};
  Json out_;
};

}  // namespace

std::string record_text(const RunWindow& window, RecordForm form) {
  switch (form) {
    case RecordForm::csv:
      return written<CsvWriter>(window, "record.csv");
    case RecordForm::vcd:
      return written<VcdWriter>(window, "record.vcd");
    case RecordForm::json:
      break;
  }
  JsonSink sink;
  window.tell(sink);
  return sink.text();
}

}  // namespace cogstride
