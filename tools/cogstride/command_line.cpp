// The command line itself. CLI11 takes seconds to compile: only this file includes it.
#include <CLI/CLI.hpp>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "cogstride/quantity/text.hpp"
#include "commands.hpp"

using namespace cogstride;

namespace {

void add_report(CLI::App& command, std::string& report) {
  command
      .add_option("--report", report,
                  "Keep all of it in FILE: one page with figures, findings, rig and script (.html)")
      ->type_name("FILE");
}

void add_outputs(CLI::App& command, OutputOptions& outputs) {
  command.add_option("--plot", outputs.plot, "Draw position, speed and pulses into FILE (.png or .svg)")
      ->type_name("FILE");
  command
      .add_option("--waves", outputs.waves,
                  "Write every edge of every line into FILE, for a waveform viewer (.vcd)")
      ->type_name("FILE");
  command.add_option("--csv", outputs.csv, "Write the signals into FILE, a row each 0.1 ms or finer (.csv)")
      ->type_name("FILE");
  command.add_option("--csv-each", outputs.csv_each, "A row of --csv no more often than that, such as 10ms")
      ->type_name("TIME");
  add_report(command, outputs.report);
  command.add_flag("--overwrite", outputs.overwrite, "Replace these files when they are there already");
}

void add_inspect(CLI::App& app, InspectOptions& options) {
  CLI::App* command = app.add_subcommand(
      "inspect", "Read a rig, say what follows from it and what is wrong before power is on");
  command->add_option("RIG", options.rig, "The rig file (NAME.rig.toml)")->required()->type_name("");
  command
      ->add_option("MECHANISM", options.mechanism, "Only this mechanism; all, and the whole, when not given")
      ->type_name("");
  add_report(*command, options.report);
  command->add_flag("--overwrite", options.overwrite, "Replace the file when it is there already");
  command->add_flag("--json", options.json, "The same figures for programs");
}

void add_lines(CLI::App& app, LinesOptions& options) {
  CLI::App* command = app.add_subcommand("lines", "Print the wiring list of a rig");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_flag("--json", options.json, "The same for programs");
}

void add_explain(CLI::App& app, ExplainOptions& options) {
  CLI::App* command = app.add_subcommand("explain", "Tell the story behind a finding of inspect");
  command->add_option("CODE", options.code, "Its code; without one, all codes are listed")->type_name("");
}

void add_keys(CLI::App& app, KeysOptions& options) {
  CLI::App* command =
      app.add_subcommand("keys", "List the keys of a rig file, each with its value and meaning");
  command
      ->add_option(
          "ABOUT", options.about,
          "A table or a kind, such as motor or brushed, or a word that a key says; all when not given")
      ->type_name("");
  command->add_flag("--page", options.page, "As the tables of docs/rig.md");
}

/// What a new rig is made of, or what is added to one.
void add_parts(CLI::App& command, NewOptions& options, bool needs_mechanism) {
  command
      .add_option("--mechanism", options.mechanisms,
                  "Its name, motor and board, such as \"traverse=bipolar stepper, STEP/DIR\"")
      ->required(needs_mechanism)
      ->allow_extra_args(false)
      ->type_name("NAME=MOTOR[,BOARD]");
  command
      .add_option(
          "--sensor", options.sensors,
          "A sensor of a mechanism, such as \"traverse.gate=optical gate\"; what moves by steps homes to its "
          "first switch")
      ->allow_extra_args(false)
      ->type_name("MECHANISM.NAME=KIND");
  command.add_option("--hand", options.hands, "A hand control, such as \"halt=emergency stop\"")
      ->allow_extra_args(false)
      ->type_name("NAME=KIND");
}

void add_new(CLI::App& app, NewOptions& options) {
  CLI::App* command =
      app.add_subcommand("new", "Write a commented rig for chosen kinds of motors and boards");
  command->add_option("RIG", options.file, "The rig file to write (NAME.rig.toml)")
      ->required()
      ->type_name("");
  add_parts(*command, options, true);
  command->add_option("--name", options.name, "Of the rig")->type_name("TEXT");
  command->add_flag("--overwrite", options.overwrite, "Replace the file when it is there already");
}

void add_add(CLI::App& app, NewOptions& options) {
  CLI::App* command = app.add_subcommand(
      "add", "Add a mechanism or a hand control to a rig, on lines that are free; what stands there stays");
  command->add_option("RIG", options.file, "The rig file")->required()->type_name("");
  add_parts(*command, options, false);
}

void add_change(CLI::App& app, ChangeOptions& options) {
  CLI::App* command =
      app.add_subcommand("change", "Change one key of a rig file; all other lines stay as they are");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_option("KEY", options.key, "The whole key, such as mechanism.traverse.board.microsteps")
      ->required()
      ->type_name("");
  command->add_option("VALUE", options.value, "Such as 16, true or \"1.6 A\"")->required()->type_name("");
}

void add_sequence(CLI::App& app, SequenceOptions& options) {
  CLI::App* command =
      app.add_subcommand("sequence", "Print the rows in which a stepper's coils are switched, and draw them");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_option("MECHANISM", options.mechanism, "Which of its mechanisms")->required()->type_name("");
  command->add_flag("--backwards", options.backwards, "The rows as they follow each other backwards");
  command->add_option("--plot", options.plot, "Draw levels and field into FILE (.png or .svg)")
      ->type_name("FILE");
  command->add_flag("--overwrite", options.overwrite, "Replace the file when it is there already");
  command->add_flag("--json", options.json, "The same for programs");
}

void add_export(CLI::App& app, ExportOptions& options) {
  CLI::App* command =
      app.add_subcommand("export", "Make of a rig and a script what its small chip plays by itself");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_option("SCRIPT", options.script, "What it is to do; without it the rig alone")->type_name("");
  CLI::Option* const header =
      command->add_option("--header", options.header, "Write the header into FILE; without it, it is printed")
          ->type_name("FILE");
  CLI::Option* const firmware =
      command
          ->add_option("--firmware", options.firmware,
                       "Write a whole program into FOLDER, and print what builds it")
          ->type_name("FOLDER")
          ->excludes(header);
  command
      ->add_flag("--link", options.link,
                 "With --firmware: the program plays what a computer plans, over its serial line")
      ->needs(firmware);
  CLI::Option* const table =
      command
          ->add_option("--table", options.table,
                       "Write the script's motions into FILE as plain arrays, for a program of your own")
          ->type_name("FILE")
          ->excludes(header)
          ->excludes(firmware);
  command
      ->add_option(
          "--as", options.as,
          "With --table: intervals (ticks from step to step), compares (of a 16-bit counter) or overflows")
      ->type_name("FORM")
      ->check(CLI::IsMember({"intervals", "compares", "overflows"}))
      ->needs(table);
  command->add_flag("--overwrite", options.overwrite, "Replace files that are there already");
}

void add_plan(CLI::App& app, PlanOptions& options) {
  CLI::App* command =
      app.add_subcommand("plan", "Plan one move and say how long it takes and what goes out on the lines");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_option("MECHANISM", options.mechanism, "Which of its mechanisms")->required()->type_name("");
  command->add_option("--from", options.from, "Where the move begins; 0 when not given")
      ->type_name("POSITION");
  CLI::Option* to =
      command->add_option("--to", options.to, "Where it ends, such as 85mm or 90deg")->type_name("POSITION");
  command->add_option("--speed", options.speed, "Not faster than this, such as 40mm/s")->type_name("SPEED");
  command->add_option("--acceleration", options.acceleration, "Not harder than this, such as 800mm/s2")
      ->type_name("ACCELERATION");
  command->add_option("--in", options.in, "Gentler than the limits, so that it takes so long, such as 3s")
      ->type_name("TIME");
  CLI::Option* fastest = command->add_flag(
      "--fastest", options.fastest, "Choose speed and acceleration: the least time with torque to spare");
  command->add_option("--margin", options.margin, "With --fastest: torque to spare (30%)")
      ->type_name("PERCENT")
      ->needs(fastest);
  for (const char* other : {"--speed", "--acceleration", "--in"})
    fastest->excludes(command->get_option(other));
  CLI::Option* behind =
      command->add_flag("--behind-leader", options.behind_leader,
                        "Instead of a move: what following its leader takes, as mechanism.NAME.follows says");
  behind->excludes(to);
  CLI::Option* gears =
      command
          ->add_option(
              "--change-gears", options.change_gears,
              "With it: the nearest trains out of these gears, by their teeth, such as 20,24,28,30,40,60")
          ->type_name("TEETH")
          ->needs(behind);
  CLI::Option* ratio =
      command
          ->add_option(
              "--ratio", options.ratio,
              "Of the change gears: turns of the driven shaft for turns of the driving one, such as 7:30")
          ->type_name("RATIO")
          ->needs(gears);
  gears->needs(ratio);
  command->add_flag("--json", options.json, "The same figures for programs");
  add_outputs(*command, options.outputs);
}

void add_sweep(CLI::App& app, SweepOptions& options) {
  CLI::App* command = app.add_subcommand("sweep",
                                         "Find on the simulated bench where a stepper begins to lose steps, "
                                         "its quietest stepping mode, or how a "
                                         "motor answers to duty");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_option("MECHANISM", options.mechanism, "Which of its mechanisms")->required()->type_name("");
  CLI::Option_group* what = command->add_option_group("What to sweep");
  what->add_flag("--acceleration", options.acceleration, "The hardest acceleration that holds");
  what->add_flag("--speed", options.speed, "The highest speed that holds");
  what->add_flag("--modes", options.modes, "Slow speeds in each stepping mode: how far the rotor oscillates");
  what->add_flag(
      "--duty", options.duty,
      "Up and down through duty: where a motor starts and drops out, by several ways of switching");
  what->require_option(1);
  command->add_flag(
      "--live", options.live,
      "On this computer's lines: the duties that turn it, switched as the rig says, by its encoder");
  command->add_flag("--yes", options.yes,
                    "Do not ask before a rig is driven for the first time or after a change");
  command->add_option("--plot", options.plot, "Draw the trials and the prediction into FILE (.png or .svg)")
      ->type_name("FILE");
  add_report(*command, options.report);
  command->add_flag("--overwrite", options.overwrite, "Replace the file when it is there already");
  command->add_flag("--json", options.json, "The same for programs");
}

void add_operate(CLI::App& app, OperateOptions& options) {
  CLI::App* command = app.add_subcommand(
      "operate",
      "Keep a rig going and move it by hand: by keys of a terminal, by lines, by a socket, by its own "
      "controls; on the simulated bench, or on live lines");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_option("--only", options.only, "These mechanisms, with these shafts, and no others")
      ->delimiter(',')
      ->type_name("MECHANISM[,...]");
  command->add_flag("--live", options.live, "On live lines: of this computer, or of the rig's small chip");
  command->add_flag("--yes", options.yes, "Do not ask before this rig is driven for the first time");
  command->add_option("--events", options.event, "On the simulated bench: who presses what, and when")
      ->type_name("FILE");
  command->add_flag(
      "--page", options.page,
      "Serve a page to the browsers of this computer (127.0.0.1:7480), or at --listen to others");
  command
      ->add_option("--listen", options.listen,
                   "Take orders at this address too, such as 127.0.0.1:7440; with --page, serve it there")
      ->type_name("ADDRESS:PORT");
  add_report(*command, options.report);
  command->add_flag("--plain", options.plain, "Lines instead of the whole screen, on a terminal too");
  command
      ->add_option(
          "--black-box", options.black_box,
          "Of live lines: where the record is kept that plays the run again (last-operate.box in the "
          "user's folder for states)")
      ->type_name("FILE");
  command->add_option("--replay", options.replay, "Play a run again from its black box; nothing moves")
      ->type_name("FILE");
  command->add_flag("--overwrite", options.overwrite,
                    "Replace a black box or a report that is there already");
  command->add_flag("--json", options.json, "Answers as JSON Lines");
  command->add_flag(
      "--learn", options.learn,
      "Nothing moves: show what input devices, serial ports and remotes say, propose how the rig "
      "declares it, and write that into it");
  command->add_option("--port", options.ports, "With --learn: a serial port that the rig does not know")
      ->type_name("PATH[:BAUD]");
}

void add_timer(CLI::App& app, TimerOptions& options) {
  CLI::App* command = app.add_subcommand(
      "timer",
      "From a timer's clock to a frequency: prescaler, top and compare values, and what really comes");
  command->add_option("RIG", options.rig, "The rig file, and")->type_name("");
  command->add_option("TIMER", options.timer, "one of its controller's timers; or the following")
      ->type_name("");
  command->add_option("--clock", options.clock, "Of the timer, before its prescaler")->type_name("FREQUENCY");
  command->add_option("--width", options.width, "Of the counter, bits (16)")
      ->type_name("BITS")
      ->check(CLI::Range(1, 62));
  command
      ->add_option("--prescaler", options.prescalers,
                   "Those that can be set, such as 1,8,64; otherwise the powers of two up to 1024 are tried")
      ->type_name("NUMBERS")
      ->delimiter(',');
  command->add_option("--frequency", options.frequency, "That is wanted")->type_name("FREQUENCY")->required();
  command->add_flag("--up-and-down", options.up_and_down, "Count up and down: centre-aligned");
  command
      ->add_option("--duty", options.duties,
                   "Of the channels, such as 40% or 20%,50%, '3 ms of 8 ms' or '600 of 1024' counts")
      ->type_name("SHARES")
      ->delimiter(',');
  command->add_flag("--spread", options.spread, "Channels begin their periods one after the other");
  command
      ->add_option("--dead-time", options.dead_time, "Each channel has a complement, with this between them")
      ->type_name("TIME");
  command
      ->add_option("--sample-at", options.sample_at, "Share of the period at which to read an input (50 %)")
      ->type_name("SHARE");
  command->add_option("--plot", options.plot, "Draw counter and channels into FILE (.png or .svg)")
      ->type_name("FILE");
  command->add_flag("--overwrite", options.overwrite, "Replace the file when it is there already");
  command->add_flag("--json", options.json, "The same figures for programs");
}

void add_rehearse(CLI::App& app, RehearseOptions& options) {
  CLI::App* command =
      app.add_subcommand("rehearse", "Play a script on the simulated bench and say what really moved");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_option("SCRIPT", options.script, "The script (NAME.moves)")->required()->type_name("");
  command
      ->add_option("--start-at", options.start_at,
                   "Where a mechanism stands at power-up, such as traverse=59mm")
      ->type_name("MECHANISM=POSITION");
  command->add_option("--seed", options.seed, "Of the noise: the same seed gives the same run (1)")
      ->type_name("NUMBER");
  command
      ->add_option(
          "--actual", options.actual,
          "A rig file with the same mechanisms: what is really on the bench, where it is not what RIG says")
      ->type_name("FILE");
  command
      ->add_option("--events", options.event,
                   "What happens from outside: lines such as 'at 3 s pedal on', 'at 0 s main off'")
      ->type_name("FILE");
  command
      ->add_option("--measured", options.measured,
                   "Lay what was measured on the real machine over the rehearsal: a table with time_s and "
                   "columns named as --csv names them")
      ->type_name("FILE");
  command
      ->add_option("--remember", options.remember,
                   "Keep positions in FILE, and start from them when switches agree")
      ->type_name("FILE");
  command->add_flag("--keep-taught", options.keep_taught,
                    "Write the limits that the script teaches into the rig");
  command
      ->add_option(
          "--replay", options.replay,
          "Play a live run again from its black box, which `drive` keeps: what was planned then and why")
      ->type_name("FILE");
  command
      ->add_option("--for", options.longest,
                   "Play so much of it, such as 60s: of a script that has no end, or a long one")
      ->type_name("TIME");
  command
      ->add_option("--scatter", options.scatter,
                   "Do not play the script once, but home what it homes NUMBER times, each from another "
                   "place; of one that "
                   "spins by duty and homes nothing, play it NUMBER times: where it ends")
      ->type_name("NUMBER")
      ->check(CLI::Range(2, 1'000'000));
  command->add_flag("--average-pwm", options.average_pwm,
                    "Do not switch bridges, but take their mean, where that comes to the same: faster");
  command->add_flag("--json", options.json, "The same figures for programs");
  add_outputs(*command, options.outputs);
}

void add_drive(CLI::App& app, DriveOptions& options) {
  CLI::App* command = app.add_subcommand(
      "drive", "Play a script on the lines of this computer, or of a small chip behind it");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_option("SCRIPT", options.script, "The script (NAME.moves)")->required()->type_name("");
  command
      ->add_option("--only", options.only,
                   "Drive these mechanisms, with these shafts, and take no line of the others")
      ->delimiter(',')
      ->type_name("MECHANISM[,...]");
  command->add_flag("--yes", options.yes, "Do not ask before a rig is driven for the first time");
  command->add_flag("--keep-taught", options.keep_taught,
                    "Write the limits that the script teaches into the rig");
  command
      ->add_option("--waves", options.outputs.waves, "Write what really went out, and when, into FILE (.vcd)")
      ->type_name("FILE");
  add_report(*command, options.outputs.report);
  command
      ->add_option("--black-box", options.black_box,
                   "Keep what the run is told in FILE, for `rehearse --replay` "
                   "(~/.local/state/cogstride/last-drive.box)")
      ->type_name("FILE");
  command->add_flag("--overwrite", options.outputs.overwrite, "Replace the file when it is there already");
  command->add_flag("--json", options.json, "The same figures for programs");
}

void add_fit(CLI::App& app, FitOptions& options) {
  CLI::App* command = app.add_subcommand(
      "fit",
      "From what was measured on a brushed motor to its resistance, constant, friction, inertia and heat");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_option("MECHANISM", options.mechanism, "Which of its mechanisms")->required()->type_name("");
  command
      ->add_option("FILE", options.table,
                   "What was measured (.csv): time_s, duty_percent or voltage_V, speed_rpm, current_A, "
                   "temperature_degC")
      ->required()
      ->type_name("");
  command
      ->add_option("--plot", options.plot,
                   "Draw what was measured over the prediction into FILE (.png or .svg)")
      ->type_name("FILE");
  command->add_flag("--keep", options.keeps, "Write the figures that were told into the rig");
  command->add_flag("--overwrite", options.overwrite, "Replace the picture when it is there already");
  command->add_flag("--json", options.json, "The same for programs");
}

void add_compare(CLI::App& app, CompareOptions& options) {
  CLI::App* command =
      app.add_subcommand("compare", "Lay two recorded runs over each other: a rehearsal and a live one");
  command->add_option("A", options.a, "A waveform file, of --waves (.vcd)")->required()->type_name("");
  command->add_option("B", options.b, "Another one")->required()->type_name("");
  command->add_option("--plot", options.plot, "Draw both and their differences into FILE (.png or .svg)")
      ->type_name("FILE");
  command->add_flag("--overwrite", options.overwrite, "Replace the file when it is there already");
  command->add_flag("--json", options.json, "The same figures for programs");
}

void add_measure_rate(CLI::App& app, MeasureRateOptions& options) {
  CLI::App* command = app.add_subcommand("measure-rate",
                                         "Measure the highest pulse rate that this computer holds within the "
                                         "rig's bound; or, where a small chip plays "
                                         "the lines, what the line to it carries and adds");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command
      ->add_option("--line", options.line,
                   "A line of the rig's chips that nothing is wired to; none when not given")
      ->type_name("NUMBER")
      ->check(CLI::NonNegativeNumber);
  command->add_option("--each", options.each, "How long each rate is tried (1 s)")->type_name("TIME");
  command->add_flag("--keep", options.keep,
                    "Write the rate into the rig, as controller.top_step_rate; or controller.link.delay");
  command->add_flag("--json", options.json, "The same figures for programs");
}

void add_prove(CLI::App& app, ProveOptions& options) {
  CLI::App* command = app.add_subcommand(
      "prove", "Bring one mechanism up, stage by stage; on the simulated bench to see what will be asked");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_option("MECHANISM", options.mechanism, "Its name in the rig")->required()->type_name("");
  command->add_flag("--live", options.live, "On live lines; what is proven is written into the rig");
  command->add_flag("--again", options.again, "Also what the rig says was proven before");
}

void add_bus(CLI::App& app, BusOptions& options) {
  CLI::App* command = app.add_subcommand(
      "bus", "Look who is on the CAN bus of a rig, by its ids, and whether that is what the rig says");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command
      ->add_option("--new-id", options.new_id,
                   "Give the drive that is alone on the bus this id, which it keeps (1 to 127)")
      ->check(CLI::Range(1, 127))
      ->type_name("ID");
  command->add_flag("--yes", options.yes, "Do not ask before that");
  command->add_flag("--json", options.json, "The same for programs");
}

void add_stand_in(CLI::App& app, StandInOptions& options) {
  CLI::App* command = app.add_subcommand(
      "stand-in", "Be the drives of a rig on its CAN interface, so that `drive` and `prove` can be tried");
  command->add_option("RIG", options.rig, "The rig file")->required()->type_name("");
  command->add_option("--only", options.only, "The drive of this mechanism alone; can be given again")
      ->type_name("MECHANISM");
  command
      ->add_option("--events", options.event,
                   "What befalls them from the beginning on: lines such as 'at 3 s warp_beam.jam on'")
      ->type_name("FILE");
}

void add_demo(CLI::App& app, DemoOptions& options) {
  CLI::App* command =
      app.add_subcommand("demo", "Inspect and rehearse the bobbin bench that comes with Cog Stride");
  command->add_option("--from", options.from, "Folder of the demo files; those installed when not given")
      ->type_name("FOLDER");
  command->add_option("--to", options.to, "Folder for what it leaves behind, renewed each time (demo-output)")
      ->type_name("FOLDER");
}

}  // namespace

namespace {

/// What is wrong with a call, and the word that was probably meant.
std::string wrong_call(const CLI::App& app, const CLI::ParseError& error, int count, char** words) {
  std::vector<std::string> commands;
  for (const CLI::App* const command : app.get_subcommands({})) commands.push_back(command->get_name());
  const std::vector<CLI::App*> chosen = app.get_subcommands();
  if (chosen.empty()) {
    const std::string first = count > 1 ? words[1] : "";
    if (first.empty()) return fmt::format("say which command: {}", fmt::join(commands, ", "));
    const std::string near = nearest_word(first, commands);
    return fmt::format("'{}' is no command; {}", first,
                       near.empty() ? fmt::format("there are {}", fmt::join(commands, ", "))
                                    : fmt::format("did you mean {}?", near));
  }
  const std::string& command = chosen.front()->get_name();
  std::vector<std::string> options;
  for (const CLI::Option* const option : chosen.front()->get_options())
    for (const std::string& name : option->get_lnames()) options.push_back("--" + name);
  for (const std::string& word : chosen.front()->remaining()) {
    if (!word.starts_with("-")) continue;
    const std::string given = word.substr(0, word.find('='));
    const std::string near = nearest_word(given, options);
    return fmt::format("{}: '{}' is no option of it; {}", command, given,
                       near.empty() ? fmt::format("it has {}", fmt::join(options, ", "))
                                    : fmt::format("did you mean {}?", near));
  }
  return fmt::format("{}: {}\n`cogstride {} --help` shows what it takes", command, error.what(), command);
}

}  // namespace

ExitStatus run_command_line(int count, char** words) {
  CLI::App app(
      "Cog Stride plans, rehearses and checks the motion of mechanisms driven by motors.\n"
      "Exit status: 0 done, 1 it ran and something is wrong, 2 the call or a file is wrong.",
      "cogstride");
  app.set_version_flag("--version", "cogstride " COGSTRIDE_VERSION);
  app.require_subcommand(1);
  InspectOptions inspect;
  LinesOptions lines;
  ExplainOptions explain;
  KeysOptions keys;
  NewOptions created;
  NewOptions added;
  ChangeOptions change;
  SequenceOptions sequence;
  ExportOptions exported;
  PlanOptions plan;
  SweepOptions sweep;
  TimerOptions timer;
  RehearseOptions rehearse;
  DriveOptions drive;
  OperateOptions operate;
  ProveOptions prove;
  FitOptions fit;
  CompareOptions compare;
  MeasureRateOptions measure_rate;
  BusOptions bus;
  StandInOptions stand_in;
  DemoOptions demo;
  add_inspect(app, inspect);
  add_lines(app, lines);
  add_explain(app, explain);
  add_keys(app, keys);
  add_new(app, created);
  add_add(app, added);
  add_change(app, change);
  add_sequence(app, sequence);
  add_plan(app, plan);
  add_sweep(app, sweep);
  add_timer(app, timer);
  add_rehearse(app, rehearse);
  add_drive(app, drive);
  add_operate(app, operate);
  add_prove(app, prove);
  add_fit(app, fit);
  add_compare(app, compare);
  add_measure_rate(app, measure_rate);
  add_export(app, exported);
  add_bus(app, bus);
  add_stand_in(app, stand_in);
  add_demo(app, demo);
  try {
    app.parse(count, words);
  } catch (const CLI::ParseError& error) {
    if (error.get_exit_code() == 0) {  // help or version was asked for
      app.exit(error);
      return ExitStatus::done;
    }
    throw Error(wrong_call(app, error, count, words));
  }
  if (app.got_subcommand("inspect")) return run_inspect(inspect);
  if (app.got_subcommand("lines")) return run_lines(lines);
  if (app.got_subcommand("explain")) return run_explain(explain);
  if (app.got_subcommand("keys")) return run_keys(keys);
  if (app.got_subcommand("new")) return run_new(created);
  if (app.got_subcommand("add")) return run_add(added);
  if (app.got_subcommand("change")) return run_change(change);
  if (app.got_subcommand("sequence")) return run_sequence(sequence);
  if (app.got_subcommand("export")) return run_export(exported);
  if (app.got_subcommand("plan")) return run_plan(plan);
  if (app.got_subcommand("sweep")) return run_sweep(sweep);
  if (app.got_subcommand("timer")) return run_timer(timer);
  if (app.got_subcommand("rehearse")) return run_rehearse(rehearse);
  if (app.got_subcommand("drive")) return run_drive(drive);
  if (app.got_subcommand("operate")) return run_operate(operate);
  if (app.got_subcommand("prove")) return run_prove(prove);
  if (app.got_subcommand("fit")) return run_fit(fit);
  if (app.got_subcommand("compare")) return run_compare(compare);
  if (app.got_subcommand("measure-rate")) return run_measure_rate(measure_rate);
  if (app.got_subcommand("bus")) return run_bus(bus);
  if (app.got_subcommand("stand-in")) return run_stand_in(stand_in);
  return run_demo(demo);
}
