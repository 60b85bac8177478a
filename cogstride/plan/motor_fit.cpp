#include "cogstride/plan/motor_fit.hpp"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <unsupported/Eigen/NonLinearOptimization>
#include <unsupported/Eigen/NumericalDiff>

#include "cogstride/plan/brushed_model.hpp"
#include "cogstride/quantity/finite.hpp"

namespace cogstride {
namespace {

constexpr double confidence = 0.95;
constexpr std::size_t most_stretches = 14;  // of a log, that are left out one by one
constexpr double widest_free = 2.0;         // the same of a figure that stays in the fit, told or not
constexpr double widest_told = 0.5;         // half of an interval, beside its value
constexpr double first_noise = 0.02;        // of the largest of a column, before anything is known
constexpr int weighings = 4;
constexpr std::size_t fewest_rows = 3;
constexpr double delay_scale = 1e-3;    // s
constexpr std::size_t most_jumps = 12;  // whose instants are fitted too; with more, they are half-way

/// A figure that can be fitted.
struct Figure {
  const char* name;
  const char* key;
  const char* unit;
  double BrushedModel::*field;
  double usual;      // where the rig has none
  bool is_positive;  // its logarithm is fitted
  bool needs_time;   // a table of settled readings says nothing of it
  bool needs_rise;
  int given_up;  // in which order, where several cannot be told beside each other
};

const std::array<Figure, 8>& figures() {
  static const std::array<Figure, 8> all{
      {{"winding resistance", "motor.resistance", "ohm", &BrushedModel::resistance, 1.0, true, false, false,
        2},
       {"torque and back-EMF constant", "motor.torque_constant", "N m/A", &BrushedModel::constant, 0.05, true,
        false, false, 7},
       {"Coulomb friction", "load.coulomb_friction", "N m", &BrushedModel::coulomb, 0.01, false, false, false,
        3},
       {"viscous friction", "load.viscous_friction", "N m s", &BrushedModel::viscous, 1e-5, false, false,
        false, 1},
       {"steady torque", "load.steady_torque", "N m", &BrushedModel::steady, 0.01, false, false, false, 0},
       {"inertia", "load.inertia", "kg m2", &BrushedModel::inertia, 1e-4, true, true, false, 4},
       {"thermal resistance", "motor.thermal_resistance", "K/W", &BrushedModel::to_air, 5.0, true, true, true,
        5},
       {"heat capacity", "motor.heat_capacity", "J/K", &BrushedModel::capacity, 100.0, true, true, true, 6}}};
  return all;
}

/// A share that no step of the solver takes beyond its ends, nor quite to them: there nothing would lead
/// back.
double between_0_and_1(double x) {
  return 1.0 / (1.0 + std::exp(-std::clamp(x, -5.0, 5.0)));
}

/// A column of a table, with the noise that it turns out to have.
struct Column {
  std::optional<double> MeasuredTable::Row::*value;
  bool is_there = false;
  double noise = 1.0;
};

class Fitter {
 public:
  Fitter(const Mechanism& mechanism, const MeasuredTable& table)
      : table_(table),
        rig_(brushed_model(mechanism)),
        model_(rig_),
        mass_inertia_(rig_.inertia - mechanism.load.inertia.base()),
        mass_torque_(rig_.steady - mechanism.load.steady_torque.base()) {
    columns_[0] = {&MeasuredTable::Row::speed, table.has_speed};
    columns_[1] = {&MeasuredTable::Row::current, table.has_current};
    columns_[2] = {&MeasuredTable::Row::rise, table.has_rise && table.has_time};
    for (Column& column : columns_) {
      double largest = 0.0;
      for (const MeasuredTable::Row& row : table.rows) {
        largest = std::max(largest, std::abs((row.*column.value).value_or(0.0)));
      }
      for (std::size_t i = 0; i < table.rows.size(); ++i) residuals_ += counts(column, i) ? 1 : 0;
      column.noise = largest > 0.0 ? first_noise * largest : 1.0;
    }
    for (std::size_t i = 0; i < figures().size(); ++i) {
      const Figure& figure = figures()[i];
      if (figure.needs_time && !table.has_time) continue;
      if (figure.needs_rise && !columns_[2].is_there) continue;
      double& value = model_.*figure.field;
      scales_[i] = value > 0.0 ? value : figure.usual;
      if (figure.is_positive && value <= 0.0) value = figure.usual;
      free_.push_back(i);
    }
    if (!table.has_time) return;
    for (std::size_t i = 1; i < table.rows.size(); ++i)
      if (begins_or_ends(table.rows[i - 1], table.rows[i])) model_.jumps.push_back(0.5);
    if (model_.jumps.size() > most_jumps) model_.jumps.clear();
  }

  MotorFit fit() {
    MotorFit result;
    std::vector<FittedFigure> held;
    // One way alone, a steady torque is friction: only their sum shows.
    if (!turns_both_ways()) give_up(&BrushedModel::steady, held);
    for (;;) {
      if (free_.empty() || residuals_ < free_.size() + model_.jumps.size() + 2) {
        hold(too_many_beside_each_other(), held);
        if (free_.empty()) break;
        continue;
      }
      solve();
      // Friction that would drive the motor stands for something else.
      if (const auto driving = friction_that_drives()) {
        hold(*driving, held);
        continue;
      }
      const auto worst = first_not_told();
      if (!worst) break;
      hold(*worst, held);
    }
    for (std::size_t i = 0; i < figures().size(); ++i) {
      const auto place = std::find(free_.begin(), free_.end(), i);
      const auto is_it = [&](const FittedFigure& figure) { return figure.key == figures()[i].key; };
      const auto given_up = std::find_if(held.begin(), held.end(), is_it);
      if (given_up != held.end()) result.figures.push_back(*given_up);
      if (place != free_.end())
        result.figures.push_back(found(i, static_cast<std::size_t>(place - free_.begin())));
    }
    result.rows = table_.rows.size();
    const auto noise = [](const Column& column) { return column.is_there ? column.noise : 0.0; };
    result.speed_noise = noise(columns_[0]);
    result.current_noise = noise(columns_[1]);
    result.rise_noise = noise(columns_[2]);
    result.fitted = model_.run(table_);
    result.by_rig = rig_.run(table_);
    return result;
  }

 private:
  /// What Eigen's solver asks: residuals of a vector of free figures.
  struct Residuals {
    using Scalar = double;
    using InputType = Eigen::VectorXd;
    using ValueType = Eigen::VectorXd;
    using JacobianType = Eigen::MatrixXd;
    enum { InputsAtCompileTime = Eigen::Dynamic, ValuesAtCompileTime = Eigen::Dynamic };
    const Fitter* fitter;
    [[nodiscard]] int inputs() const { return static_cast<int>(fitter->unknowns()); }
    [[nodiscard]] int values() const { return static_cast<int>(fitter->residuals_); }
    int operator()(const Eigen::VectorXd& at, Eigen::VectorXd& off) const {
      BrushedModel model = fitter->model_;
      fitter->put(model, at);
      fitter->miss(model, off);
      return 0;
    }
  };

  /// The free figures, after them when what was given began and ended, and by how much all of it came late.
  [[nodiscard]] std::size_t unknowns() const {
    return free_.size() + (fits_instants_ ? model_.jumps.size() + 1 : 0);
  }

  [[nodiscard]] Eigen::VectorXd at() const {
    Eigen::VectorXd point(unknowns());
    for (std::size_t i = 0; i < free_.size(); ++i) {
      const Figure& figure = figures()[free_[i]];
      const double share = model_.*figure.field / scales_[free_[i]];
      point[static_cast<Eigen::Index>(i)] = figure.is_positive ? std::log(share) : share;
    }
    if (!fits_instants_) return point;
    for (std::size_t i = 0; i < model_.jumps.size(); ++i)
      point[static_cast<Eigen::Index>(free_.size() + i)] =
          std::log(model_.jumps[i] / (1.0 - model_.jumps[i]));
    point[point.size() - 1] = model_.delay / delay_scale;
    return point;
  }

  void put(BrushedModel& model, const Eigen::VectorXd& point) const {
    for (std::size_t i = 0; i < free_.size(); ++i) {
      const Figure& figure = figures()[free_[i]];
      const double share = point[static_cast<Eigen::Index>(i)];
      model.*figure.field =
          scales_[free_[i]] * (figure.is_positive ? std::exp(std::clamp(share, -12.0, 12.0)) : share);
    }
    // What it breaks loose at is not below what it slides with.
    model.stiction = std::max(model.stiction, model.coulomb);
    if (!fits_instants_) return;
    for (std::size_t i = 0; i < model.jumps.size(); ++i)
      model.jumps[i] = between_0_and_1(point[static_cast<Eigen::Index>(free_.size() + i)]);
    model.delay = delay_scale * point[point.size() - 1];
  }

  void miss(const BrushedModel& model, Eigen::VectorXd& off) const {
    const std::vector<MeasuredTable::Row> rows = model.run(table_);
    Eigen::Index next = 0;
    for (const Column& column : columns_) {
      if (!column.is_there) continue;
      for (std::size_t i = 0; i < rows.size(); ++i)
        if (counts(column, i))
          off[next++] = (*(rows[i].*column.value) - *(table_.rows[i].*column.value)) / column.noise;
    }
  }

  /// Whether a reading is held against the model. Where what was given begins or ends, a current may have
  /// been read before or after.
  [[nodiscard]] bool counts(const Column& column, std::size_t i) const {
    const std::vector<MeasuredTable::Row>& rows = table_.rows;
    if (!column.is_there || !(rows[i].*column.value)) return false;
    if (!table_.has_time || column.value != &MeasuredTable::Row::current) return true;
    return !(i > 0 && begins_or_ends(rows[i - 1], rows[i])) &&
           !(i + 1 < rows.size() && begins_or_ends(rows[i], rows[i + 1]));
  }

  /// Least squares, the columns weighed anew by what is left of them.
  void solve() {
    const Residuals residuals{this};
    for (int i = 0; i < weighings; ++i) {
      // Figures far off would drive the instants to their ends.
      fits_instants_ = table_.has_time && i > 0;
      Eigen::NumericalDiff<Residuals> derived(residuals, 1e-9);
      Eigen::LevenbergMarquardt<Eigen::NumericalDiff<Residuals>> solver(derived);
      solver.parameters.maxfev = 400;
      Eigen::VectorXd point = at();
      solver.minimize(point);
      put(model_, point);
      weigh(point);
    }
  }

  void weigh(const Eigen::VectorXd& point) {
    Eigen::VectorXd off(residuals_);
    Residuals{this}(point, off);
    const double left = static_cast<double>(residuals_ - unknowns()) / static_cast<double>(residuals_);
    Eigen::Index next = 0;
    for (Column& column : columns_) {
      if (!column.is_there) continue;
      Eigen::Index count = 0;
      for (std::size_t i = 0; i < table_.rows.size(); ++i) count += counts(column, i) ? 1 : 0;
      const double mean = off.segment(next, count).squaredNorm() / (static_cast<double>(count) * left);
      column.noise *= std::max(1e-6, std::sqrt(mean));
      next += count;
    }
    // Central differences, for the covariance.
    Eigen::MatrixXd jacobian(residuals_, unknowns());
    Eigen::NumericalDiff<Residuals, Eigen::Central> derived(Residuals{this}, 1e-8);
    derived.df(point, jacobian);
    half_widths_ = widths_by_noise(jacobian);
    if (hangs_together(off)) half_widths_ = half_widths_.cwiseMax(widths_by_leaving_out(jacobian, off));
  }

  /// Half of the intervals where all that is left over is noise of its own in each row.
  [[nodiscard]] Eigen::VectorXd widths_by_noise(const Eigen::MatrixXd& jacobian) const {
    const Eigen::JacobiSVD<Eigen::MatrixXd> svd(jacobian, Eigen::ComputeThinV);
    const Eigen::VectorXd& sizes = svd.singularValues();
    Eigen::VectorXd inverse(sizes.size());
    for (Eigen::Index i = 0; i < sizes.size(); ++i)
      inverse[i] = 1.0 / std::max(sizes[i], 1e-10 * std::max(1e-300, sizes[0]));
    const Eigen::MatrixXd root = svd.matrixV() * inverse.asDiagonal();
    const boost::math::students_t student(static_cast<double>(residuals_ - unknowns()));
    return boost::math::quantile(student, 0.5 * (1.0 + confidence)) * root.rowwise().norm();
  }

  /// Whether what is left over of a row says something of the next row's: by chance one log in a hundred
  /// does.
  [[nodiscard]] bool hangs_together(const Eigen::VectorXd& off) const {
    if (!table_.has_time) return false;
    Eigen::Index next = 0;
    for (const Column& column : columns_) {
      if (!column.is_there) continue;
      Eigen::Index count = 0;
      for (std::size_t i = 0; i < table_.rows.size(); ++i) count += counts(column, i) ? 1 : 0;
      const auto part = off.segment(next, count);
      next += count;
      if (count < 3) continue;
      const double along = part.head(count - 1).dot(part.tail(count - 1)) / part.squaredNorm();
      if (along > 2.6 / std::sqrt(static_cast<double>(count))) return true;
    }
    return false;
  }

  /// The same from how the figures change when a stretch of the log is left out (the delete-a-group
  /// jackknife, one step of it; Cameron and Miller, A practitioner's guide to cluster-robust inference,
  /// 2015). What is left over hangs together from row to row where the motor is not quite the model: single
  /// rows would then count for more than they say.
  [[nodiscard]] Eigen::VectorXd widths_by_leaving_out(const Eigen::MatrixXd& jacobian,
                                                      const Eigen::VectorXd& off) const {
    const std::size_t stretches = std::min(most_stretches, table_.rows.size());
    const Eigen::Index count = jacobian.cols();
    const Eigen::MatrixXd all = jacobian.transpose() * jacobian;
    std::vector<Eigen::MatrixXd> squares(stretches, Eigen::MatrixXd::Zero(count, count));
    std::vector<Eigen::VectorXd> slopes(stretches, Eigen::VectorXd::Zero(count));
    Eigen::Index next = 0;
    for (const Column& column : columns_) {
      if (!column.is_there) continue;
      for (std::size_t i = 0; i < table_.rows.size(); ++i) {
        if (!counts(column, i)) continue;
        const std::size_t stretch = i * stretches / table_.rows.size();
        squares[stretch].noalias() += jacobian.row(next).transpose() * jacobian.row(next);
        slopes[stretch] += jacobian.row(next).transpose() * off[next];
        ++next;
      }
    }
    Eigen::VectorXd sums = Eigen::VectorXd::Zero(count);
    for (std::size_t g = 0; g < stretches; ++g) {
      Eigen::MatrixXd left = all - squares[g];
      left.diagonal() += 1e-6 * all.diagonal();  // an instant that lies in it is told by no other
      const Eigen::VectorXd change = left.ldlt().solve(slopes[g]);
      sums += change.cwiseAbs2();
    }
    const auto groups = static_cast<double>(stretches);
    const boost::math::students_t student(groups - 1.0);
    return boost::math::quantile(student, 0.5 * (1.0 + confidence)) *
           ((groups - 1.0) / groups * sums).cwiseSqrt();
  }

  [[nodiscard]] double uncertainty(std::size_t place) const {
    const std::size_t i = free_[place];
    const Figure& figure = figures()[i];
    const double half = half_widths_[static_cast<Eigen::Index>(place)];
    return half * (figure.is_positive ? model_.*figure.field : scales_[i]);
  }

  [[nodiscard]] bool turns_both_ways() const {
    const Span speeds = span_of([](const MeasuredTable::Row& row) { return row.speed; });
    const Span drives = span_of([](const MeasuredTable::Row& row) { return std::optional(row.drive); });
    const Span& span = table_.has_speed ? speeds : drives;
    // Noise about rest is no turning back.
    constexpr double turns = 0.05;
    const double fastest = std::max(-span.least, span.most);
    return span.least < -turns * fastest && span.most > turns * fastest;
  }

  void give_up(double BrushedModel::*field, std::vector<FittedFigure>& held) {
    for (std::size_t place = 0; place < free_.size(); ++place) {
      if (figures()[free_[place]].field != field) continue;
      hold(place, held);
      return;
    }
  }

  [[nodiscard]] std::optional<std::size_t> friction_that_drives() const {
    for (std::size_t place = 0; place < free_.size(); ++place) {
      const Figure& figure = figures()[free_[place]];
      const bool is_friction =
          figure.field == &BrushedModel::viscous || figure.field == &BrushedModel::coulomb;
      if (is_friction && model_.*figure.field < 0.0) return place;
    }
    return std::nullopt;
  }

  [[nodiscard]] std::optional<std::size_t> first_not_told() const {
    std::optional<std::size_t> found;
    for (std::size_t place = 0; place < free_.size(); ++place) {
      const Figure& figure = figures()[free_[place]];
      if (uncertainty(place) <= widest_free * std::abs(model_.*figure.field)) continue;
      if (!found || figure.given_up < figures()[free_[*found]].given_up) found = place;
    }
    return found;
  }

  /// More figures than readings: the one that is given up first.
  [[nodiscard]] std::size_t too_many_beside_each_other() const {
    std::size_t found = 0;
    for (std::size_t place = 0; place < free_.size(); ++place)
      if (figures()[free_[place]].given_up < figures()[free_[found]].given_up) found = place;
    return found;
  }

  void hold(std::size_t place, std::vector<FittedFigure>& held) {
    if (free_.empty()) return;
    const std::size_t i = free_[place];
    const Figure& figure = figures()[i];
    FittedFigure given_up = shown(i);
    explain(given_up, i);
    held.push_back(given_up);
    free_.erase(free_.begin() + static_cast<std::ptrdiff_t>(place));
    // The others begin again from the rig, with this one as it is there.
    model_.*figure.field = figure.is_positive ? scales_[i] : rig_.*figure.field;
    for (const std::size_t other : free_) {
      const Figure& others = figures()[other];
      model_.*others.field = others.is_positive ? scales_[other] : rig_.*others.field;
    }
    model_.stiction = rig_.stiction;
    std::fill(model_.jumps.begin(), model_.jumps.end(), 0.5);
    model_.delay = 0.0;
  }

  [[nodiscard]] FittedFigure shown(std::size_t i) const {
    const Figure& figure = figures()[i];
    FittedFigure one;
    one.name = figure.name;
    one.key = figure.key;
    one.unit = figure.unit;
    one.was = rig_.*figure.field - of_the_mass(figure);
    return one;
  }

  /// One that is free to the end, though it may be too wide to be told: the others then know as much less.
  [[nodiscard]] FittedFigure found(std::size_t i, std::size_t place) const {
    FittedFigure one = shown(i);
    one.value = model_.*figures()[i].field - of_the_mass(figures()[i]);
    one.uncertainty = uncertainty(place);
    one.is_told = one.uncertainty <= widest_told * std::abs(model_.*figures()[i].field);
    one.is_open = !one.is_told;
    if (one.is_open) explain(one, i);
    return one;
  }

  /// What a carried mass adds to a figure, in the model: the rig says the mass by itself.
  [[nodiscard]] double of_the_mass(const Figure& figure) const {
    if (figure.field == &BrushedModel::inertia) return mass_inertia_;
    if (figure.field == &BrushedModel::steady) return mass_torque_;
    return 0.0;
  }

  /// The span of a column, and of time.
  struct Span {
    double least = 0.0;
    double most = 0.0;
  };
  template <class Value>
  [[nodiscard]] Span span_of(Value value) const {
    Span span{1e300, -1e300};
    for (const MeasuredTable::Row& row : table_.rows)
      if (const std::optional<double> each = value(row)) {
        span.least = std::min(span.least, *each);
        span.most = std::max(span.most, *each);
      }
    return span.least > span.most ? Span{} : span;
  }

  void explain(FittedFigure& figure, std::size_t i) const {
    const Span speeds = span_of([](const MeasuredTable::Row& row) { return row.speed; });
    const Span rises = span_of([](const MeasuredTable::Row& row) { return row.rise; });
    const double lasts = table_.rows.back().time - table_.rows.front().time;
    const double rpm = 60.0 / (2.0 * pi);
    const std::string speeds_words =
        table_.has_speed ? fmt::format("the speeds measured lie between {:.0f} and {:.0f} rpm of the motor",
                                       rpm * speeds.least, rpm * speeds.most)
                         : "no speed was measured";
    switch (figures()[i].given_up) {
      case 0:
        figure.why_not = turns_both_ways()
                             ? "it does not stand out from friction"
                             : "it turned one way alone, where a steady torque looks like friction";
        figure.would_tell =
            rig_.slackens ? "the same with the load taken off" : "the same again the other way";
        break;
      case 1:
        figure.why_not = speeds_words + ", and friction does not change enough between them";
        figure.would_tell = "steady speeds at a fifth and at nearly all of full duty";
        break;
      case 2:
        figure.why_not = table_.has_current ? "the current hardly differs from row to row"
                                            : "without current it cannot be told from friction";
        figure.would_tell = table_.has_current
                                ? "a start from rest, or a row with the shaft held for a second"
                                : "the current measured beside the speed";
        break;
      case 3:
        figure.why_not = table_.has_current ? speeds_words : "without current little of it shows";
        figure.would_tell = "slow steady speeds, with their current";
        break;
      case 4:
        figure.why_not = "its speed does not change quickly enough to show it";
        figure.would_tell = "a step of duty from rest with a row each 10 ms, until it is up to speed";
        break;
      case 5:
      case 6:
        figure.why_not =
            fmt::format("it became {:.2g} K warmer in {:.3g} s", rises.most - rises.least, lasts);
        figure.would_tell =
            fmt::format("{:.0f} minutes at a steady current near the rated one, and as long without",
                        std::ceil(rig_.to_air > 0.0 ? rig_.to_air * rig_.capacity / 60.0 : 15.0));
        break;
      default:
        figure.why_not = speeds_words;
        figure.would_tell = "steady speeds at a fifth and at nearly all of full duty";
    }
  }

  const MeasuredTable& table_;
  BrushedModel rig_;
  BrushedModel model_;
  double mass_inertia_;  // kg m2
  double mass_torque_;   // N m
  std::array<Column, 3> columns_{};
  std::array<double, 8> scales_{};
  std::vector<std::size_t> free_;
  std::size_t residuals_ = 0;
  bool fits_instants_ = false;
  Eigen::VectorXd half_widths_{};
};

void require_use(const Mechanism& mechanism, const MeasuredTable& table) {
  if (table.rows.size() < fewest_rows)
    throw RangeError(fmt::format("{}: a table of {} rows tells nothing; {} steady speeds are the least",
                                 mechanism.name, table.rows.size(), fewest_rows));
  if (!table.has_speed && !table.has_current)
    throw RangeError(fmt::format("{}: the table has neither a speed nor a current", mechanism.name));
  const auto* const wiring = std::get_if<BridgeWiring>(&mechanism.wiring);
  if (!table.is_voltage && wiring != nullptr && wiring->decay == Decay::fast)
    throw RangeError(
        fmt::format("{}: its bridge coasts between, so that a duty does not say the mean voltage: "
                    "measure the voltage at the motor",
                    mechanism.name));
}

}  // namespace

std::size_t MotorFit::told() const {
  return static_cast<std::size_t>(std::count_if(figures.begin(), figures.end(),
                                                [](const FittedFigure& figure) { return figure.is_told; }));
}

MotorFit fit_motor(const Mechanism& mechanism, const MeasuredTable& table) {
  (void)brushed_model(mechanism);
  for (const MeasuredTable::Row& row : table.rows)
    for (const double figure :
         {row.time, row.drive, row.speed.value_or(0.0), row.current.value_or(0.0), row.rise.value_or(0.0)})
      require_finite(figure, fmt::format("a measured row at {:.6g} s", row.time));
  require_use(mechanism, table);
  return Fitter(mechanism, table).fit();
}

}  // namespace cogstride
