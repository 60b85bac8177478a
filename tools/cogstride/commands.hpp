// The commands and their options. Each command is one file; none computes anything of its own.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

/// Files that a command leaves behind; empty: none.
struct OutputOptions {
  std::string plot{};
  std::string waves{};
  std::string csv{};
  std::string report{};  ///< a page that keeps the run
  bool overwrite = false;
  std::string csv_each{};  ///< time from one of its rows to the next; empty: as it is sampled
};

struct InspectOptions {
  std::string rig;
  std::string mechanism;  ///< empty: all
  std::string report{};
  bool overwrite = false;
  bool json = false;
};

struct LinesOptions {
  std::string rig;
  bool json = false;
};

struct ExplainOptions {
  std::string code;
};

struct KeysOptions {
  std::string about;  ///< a table or a kind; empty: all
  bool page = false;  ///< as the tables of docs/rig.md
};

struct NewOptions {
  std::string file;
  std::string name = "New rig";
  std::vector<std::string> mechanisms;  ///< "traverse=bipolar stepper, STEP/DIR"
  std::vector<std::string> sensors;     ///< "traverse.gate=optical gate"
  std::vector<std::string> hands;       ///< "halt=emergency stop"
  bool overwrite = false;
};

struct ChangeOptions {
  std::string rig;
  std::string key;
  std::string value;
  bool quiet = false;
};

struct SequenceOptions {
  std::string rig;
  std::string mechanism;
  std::string plot;
  bool backwards = false;
  bool overwrite = false;
  bool json = false;
};

struct ExportOptions {
  std::string rig;
  std::string script{};    ///< empty: the rig alone
  std::string header{};    ///< empty: it is printed
  std::string firmware{};  ///< a folder
  bool link = false;       ///< the program plays what a computer plans
  std::string table{};     ///< a file
  std::string as = "intervals";
  bool overwrite = false;
};

struct PlanOptions {
  std::string rig;
  std::string mechanism;
  std::string from;
  std::string to;
  std::string speed;
  std::string acceleration;
  std::string in{};
  bool fastest = false;
  std::string margin{};
  bool behind_leader = false;
  std::string change_gears{};
  std::string ratio{};
  bool json = false;
  OutputOptions outputs;
};

struct SweepOptions {
  std::string rig;
  std::string mechanism;
  bool acceleration = false;
  bool speed = false;
  bool modes = false;
  bool duty = false;
  bool live = false;
  bool yes = false;
  std::string plot;
  std::string report{};
  bool overwrite = false;
  bool json = false;
};

struct OperateOptions {
  std::string rig;
  std::vector<std::string> only;
  bool live = false;
  bool yes = false;         ///< does not ask before the first time
  std::string event{};      ///< what happens from outside, on the simulated bench
  std::string listen{};     ///< address and port of a socket, or of the page; empty: the rig's
  bool page = false;        ///< a browser's page moves it too
  bool plain = false;       ///< lines, on a terminal too
  std::string black_box{};  ///< of live lines; empty: last-operate.box in the user's folder for states
  std::string replay{};     ///< the black box of such a run
  std::string report{};
  bool overwrite = false;
  bool json = false;
  bool learn = false;                ///< shows what devices say, and proposes how the rig declares it
  std::vector<std::string> ports{};  ///< that are listened to then
};

struct TimerOptions {
  std::string rig{};
  std::string timer{};
  std::string clock{};
  std::int64_t width = 0;  ///< 0: the rig's, else 16
  std::vector<std::int64_t> prescalers{};
  std::string frequency{};
  bool up_and_down = false;
  std::vector<std::string> duties{};
  bool spread = false;
  std::string dead_time{};
  std::string sample_at{};
  std::string plot{};
  bool overwrite = false;
  bool json = false;
};

struct RehearseOptions {
  std::string rig;
  std::string script;
  std::vector<std::string> start_at;  ///< "traverse=59mm"
  std::uint64_t seed = 1;
  std::string event{};       ///< what happens from outside
  std::string actual{};      ///< a rig file: what is really there
  std::string measured{};    ///< a table of the real machine, laid over the rehearsal
  std::string longest{};     ///< of the bench's time that is played; empty: to the script's end
  std::size_t scatter = 0;   ///< homings of each mechanism that the script homes
  std::string remember{};    ///< positions from one run to the next
  std::string replay{};      ///< the black box of a live run
  bool keep_taught = false;  ///< writes taught limits into the rig
  bool average_pwm = false;  ///< duties as shares, where that comes to the same
  bool json = false;
  OutputOptions outputs;
};

struct DriveOptions {
  std::string rig;
  std::string script;
  std::vector<std::string> only;  ///< mechanisms; empty: all
  bool yes = false;               ///< does not ask before the first time
  bool keep_taught = false;
  std::string black_box{};  ///< empty: last-drive.box in the user's folder for states
  bool json = false;
  OutputOptions outputs;
};

struct ProveOptions {
  std::string rig;
  std::string mechanism;
  bool live = false;
  bool again = false;  ///< what was proven before too
};

struct FitOptions {
  std::string rig;
  std::string mechanism;
  std::string table;
  std::string plot;
  bool keeps = false;  ///< writes what was told into the rig
  bool overwrite = false;
  bool json = false;
};

struct CompareOptions {
  std::string a;
  std::string b;
  std::string plot;
  bool overwrite = false;
  bool json = false;
};

struct MeasureRateOptions {
  std::string rig;
  std::int64_t line = -1;  ///< below 0: none
  std::string each = "1 s";
  bool keep = false;
  bool json = false;
};

struct BusOptions {
  std::string rig;
  int new_id = 0;  ///< 0: none
  bool yes = false;
  bool json = false;
};

struct StandInOptions {
  std::string rig;
  std::vector<std::string> only;
  std::string event;
};

struct DemoOptions {
  std::string from;
  std::string to = "demo-output";
};

/// Exit statuses.
enum ExitStatus : int { done = 0, something_is_wrong = 1, call_or_file_is_wrong = 2 };

ExitStatus run_inspect(const InspectOptions& options);
ExitStatus run_lines(const LinesOptions& options);
ExitStatus run_explain(const ExplainOptions& options);
ExitStatus run_keys(const KeysOptions& options);
ExitStatus run_new(const NewOptions& options);
ExitStatus run_add(const NewOptions& options);
ExitStatus run_change(const ChangeOptions& options);
ExitStatus run_sequence(const SequenceOptions& options);
ExitStatus run_export(const ExportOptions& options);
ExitStatus run_plan(const PlanOptions& options);
ExitStatus run_sweep(const SweepOptions& options);
ExitStatus run_timer(const TimerOptions& options);
ExitStatus run_rehearse(const RehearseOptions& options);
ExitStatus run_drive(const DriveOptions& options);
ExitStatus run_operate(const OperateOptions& options);
/// `operate --learn`
ExitStatus run_learning(const OperateOptions& options);
ExitStatus run_prove(const ProveOptions& options);
ExitStatus run_fit(const FitOptions& options);
ExitStatus run_compare(const CompareOptions& options);
ExitStatus run_measure_rate(const MeasureRateOptions& options);
ExitStatus run_bus(const BusOptions& options);
ExitStatus run_stand_in(const StandInOptions& options);
ExitStatus run_demo(const DemoOptions& options);

/// Reads the command line and runs the command.
ExitStatus run_command_line(int count, char** words);
