// Several sets of effects as one system: made once of their groups, weights and ridges, it sweeps
// any columns, as often as wanted. The levels of the first set are eliminated group by group; what
// is left is the reduced system in the levels of the others (reduced-matrix.hpp), solved from its
// factor or by conjugate gradients (reduced-solver.hpp).
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <memory>
#include <numeric>
#include <stdexcept>
#include <utility>
#include <vector>

#include "effect-sets.hpp"
#include "oneway.hpp"
#include "reduced-matrix.hpp"
#include "reduced-solver.hpp"
#include "rows.hpp"
#include "sinks.hpp"
#include "triangle.hpp"

namespace wavetax {

// What sweeping needs to know of some columns, whatever the ridges: made on one walk over the rows.
struct ColumnSums {
  std::size_t width = 0;
  Numbers centre;               // by column, taken off before anything is summed
  std::vector<Numbers> levels;  // by loading of the first set, what it alone explains: groups x width
  Numbers right;                // of what that leaves, the sums by level of the others: unknowns x width
  Numbers left;                 // and by column its squares
  Numbers squares;              // z'Wz of the columns less their centres
};

// Columns swept by a system. Where effects are shrunken the column of ones is the first of them.
struct SweptColumns {
  std::vector<Numbers> levels;  // by loading of each set, in order: groups x width
  Numbers explained_by_others;  // z'W Q1 z - z'W Q z: what the other sets add, width x width
  std::size_t width = 0;
  bool converged = true, stopped = false;
  std::size_t iterations = 0;
  Numbers left_means;                       // of each column: the squares of the group means left in it
  Numbers squares;                          // z'Wz of each column less its centre

  // The largest relative residual of a swept column, whose squares are `swept`; columns that the effects
  // hold have none.
  double achieved(const Numbers& swept) const {
    constexpr double held = 1e-9;
    double worst = 0.0;
    for (std::size_t c = 0; c < left_means.size(); ++c)
      if (swept[c] > held * held * squares[c]) worst = std::max(worst, std::sqrt(left_means[c] / swept[c]));
    return worst;
  }
};

class EffectSystem {
 public:
  // Sets in the order of elimination; `columns` is how many are likely to be swept together.
  EffectSystem(const std::vector<EffectSet>& sets, std::size_t n, const double* weights, std::size_t columns,
               const SolverOptions& options)
      : n_(n), columns_(columns), options_(options) {
    for (std::size_t s = 0; s < sets.size(); ++s)
      for (const double* loading : sets[s].loadings) {
        Term term;
        term.groups = sets[s].groups;
        term.loading = loading;
        term.ridge = sets[s].ridge;
        term.offset = s == 0 ? 0 : unknowns_;
        if (s > 0) unknowns_ += term.groups.count;
        (s == 0 ? first_ : others_).push_back(term);
      }
    check_countable(first_[0].groups.count + unknowns_);
    order_ = std::make_unique<RowOrder>(n, first_, others_, weights, options.threads);
    prepare(weights);
  }

  // Other weights for the same groups. Loadings are orthogonal under the weights they were made
  // with, so that sets with trends need a new system.
  void reweight(const double* weights) {
    if (has_trends()) throw std::invalid_argument("Sets with trends are made anew for other weights.");
    order_->set_weights(weights);
    prepare(weights);
  }

  // The same groups with random effects: a ridge for each set.
  void shrink(const Numbers& ridges) {
    if (has_trends() || first_.size() != 1 || ridges.size() != others_.size() + 1)
      throw std::invalid_argument("Random effects are levels of sets without trends.");
    first_[0].ridge = order_->first[0].ridge = ridges[0];
    for (std::size_t s = 0; s < others_.size(); ++s) others_[s].ridge = order_->others[s].ridge = ridges[s + 1];
    prepare(weights_);
  }

  std::size_t unknowns() const { return unknowns_; }
  // Whether the first set has levels and nothing else.
  bool only_levels_first() const { return first_.size() == 1 && !first_[0].loading; }
  bool is_dense() const { return unknowns_ == 0 || solver_->factor() != nullptr; }
  // Whether the rank is that of a graph, not of pivots.
  bool is_counted() const { return unknowns_ > 0 && is_dense() && matrix_->is_graph(); }
  // Of the reduced system, where it was made whole.
  std::size_t rank() const { return unknowns_ > 0 && is_dense() ? solver_->factor()->rank() : 0; }
  std::size_t first_rank() const {
    std::size_t out = 0;
    for (const Numbers& gram : matrix_->first_gram)
      out += static_cast<std::size_t>(std::count_if(gram.begin(), gram.end(), [](double g) { return g > 0.0; }));
    return out;
  }
  // Of the reduced system: m x m, 0 off its rank.
  Numbers inverse() const { return solver_->factor()->inverse(); }

  // log |I + D S D'| of random effects with variances S, in units of the disturbance's.
  double log_determinant() const {
    double sum = unknowns_ > 0 ? solver_->factor()->log_determinant() : 0.0;
    for (std::size_t f = 0; f < first_.size(); ++f)
      for (const double gram : matrix_->first_gram[f]) sum += std::log1p(gram / first_[f].ridge);
    for (const Term& term : others_) sum -= static_cast<double>(term.groups.count) * std::log(term.ridge);
    return sum;
  }

  // The weights are those of now: sums of columns do not outlive reweight().
  ColumnSums sums(const Rows& columns, const Numbers& centre) const {
    ColumnSums out;
    out.width = columns.width();
    out.centre = centre;
    Rows rows = columns;
    rows.weights = weights_;
    LevelSumSink right(others_, unknowns_, out.width);
    if (only_levels_first() && first_[0].groups.sorted) {
      sum_sorted(rows, out, right);
    } else {
      for (std::size_t f = 0; f < first_.size(); ++f) out.levels.push_back(first_levels(rows, out, f));
      const Sweep of_first = sweep_of_first(out, first_.size());
      right = visit(view_of(rows, of_first), std::move(right), options_.threads);
    }
    out.right.assign(right.values().begin(), right.values().end() - static_cast<std::ptrdiff_t>(out.width));
    out.left.assign(right.values().end() - static_cast<std::ptrdiff_t>(out.width), right.values().end());
    out.squares = out.left;
    for (std::size_t f = 0; f < first_.size(); ++f) {
      const Numbers explained = squares_of_levels(out, f, matrix_->first_gram[f]);
      for (std::size_t c = 0; c < out.width; ++c) out.squares[c] += explained[c];
    }
    return out;
  }

  // Sums to be used again are copied by all threads.
  SweptColumns solve(const ColumnSums& sums, bool with_ones = false) const {
    ColumnSums copy;
    copy.width = sums.width;
    copy.centre = sums.centre;
    for (const Numbers& levels : sums.levels) copy.levels.push_back(widened(levels, sums.width, false));
    copy.right = sums.right;
    copy.left = sums.left;
    copy.squares = sums.squares;
    return solve(std::move(copy), with_ones);
  }

  // Whether sums are of these sets, or of further ones too where this system has one set alone.
  bool fits(const ColumnSums& sums) const {
    return sums.levels.size() == first_.size() &&
           sums.levels[0].size() == first_[0].groups.count * sums.width &&
           (unknowns_ == 0 || sums.right.size() == unknowns_ * sums.width);
  }

  // Whether the column of ones is swept too: where effects are shrunken it is not explained by them.
  // Sums that are not wanted again give their levels away. Those of a system with further sets serve the
  // first set alone.
  SweptColumns solve(ColumnSums&& sums, bool with_ones = false) const {
    const bool shrunken = first_[0].ridge > 0.0;
    if (with_ones && !only_levels_first()) throw std::invalid_argument("Only levels sweep the column of ones.");
    SweptColumns out;
    out.width = sums.width + (with_ones ? 1 : 0);
    ReducedProblem problem;
    problem.width = out.width;
    problem.right = unknowns_ > 0 ? std::move(sums.right) : Numbers();
    problem.left_by_first = std::move(sums.left);
    problem.squares = std::move(sums.squares);
    if (with_ones) {
      for (Numbers* table : {&problem.right, &problem.left_by_first, &problem.squares})
        *table = widened(*table, sums.width, true);
      problem.squares[0] = std::accumulate(matrix_->first_gram[0].begin(), matrix_->first_gram[0].end(), 0.0);
      sums.levels[0] = widened(sums.levels[0], sums.width, true, 1.0);
      sums.centre.insert(sums.centre.begin(), 0.0);
      sums.width = out.width;
    }
    out.levels = std::move(sums.levels);
    if (shrunken) shrink_first(problem, out);
    if (unknowns_ > 0) {
      solver_->solve(problem);
      out.converged = problem.converged;
      out.stopped = problem.stopped;
      out.iterations = problem.iterations;
      out.left_means = problem.left_means;
      out.squares = problem.squares;
      out.explained_by_others = products(problem);
      substitute_back(problem, out);
    }
    add_centre(sums.centre, with_ones, out);
    return out;
  }

  // By level of the other sets the sums over rows of what the first set's levels explain: with
  // `right` they are the sums of the columns less their centres.
  Numbers carried_to_others(const ColumnSums& sums) const {
    Numbers out = zeros(unknowns_ * sums.width);
    carry(sums.levels[0], Numbers(first_[0].groups.count, 1.0), sums.width, out);
    return out;
  }

  // Sum over groups of the first set of |sum over their rows of the values of the others' levels|^2;
  // `values` are unknowns x width.
  double squared_sums_by_first(const Numbers& values, std::size_t width) const {
    Numbers parts(lanes, 0.0);
    order_->for_each_lane([&](std::size_t lane) {
      with_width(width, [&](auto known) {
        Numbers sum(width);
        for (std::size_t g = order_->lane[lane]; g < order_->lane[lane + 1]; ++g)
          parts[lane] += squared_sum(known, g, values.data(), sum);
      });
    });
    return std::accumulate(parts.begin(), parts.end(), 0.0);
  }

  Sweep sweep(const SweptColumns& swept) const {
    Sweep out;
    for (std::size_t t = 0; t < swept.levels.size(); ++t) {
      Layer layer;
      layer.groups = term(t).groups;
      layer.levels = swept.levels[t].data();
      layer.width = swept.width;
      layer.loading = term(t).loading;
      out.layers.push_back(layer);
    }
    out.scale_by_weight = true;
    return out;
  }

  // The factor of the swept rows, and of a row for each shrunken level: least squares on
  // both is generalised least squares (the ridge is the price of a level).
  Triangle triangle(const Rows& columns, const SweptColumns& swept) const {
    Rows rows = columns;
    rows.weights = weights_;
    Triangle out = accumulate_triangle(rows, sweep(swept), options_.threads);
    for (std::size_t t = 0; t < swept.levels.size(); ++t)
      if (term(t).ridge > 0.0)
        out.merge(table_triangle(swept.levels[t].data(), term(t).groups.count, swept.width, std::sqrt(term(t).ridge),
                                 options_.threads));
    return out;
  }

  // The effects' part of each row's leverage, w d'(D'WD)^- d. With a_f the shares of a group's
  // levels in the others', v = d2 - sum_f load_f a_f and the reduced inverse M^-:
  //   h = w (sum_f load_f^2 / gram_f + v'M^- v).
  Numbers leverage() const {
    if (!is_dense()) throw std::invalid_argument("Leverages need a reduced system that is solved directly.");
    Numbers out = zeros(n_), inverse;
    if (unknowns_ > 0) inverse = this->inverse();
    Numbers by_place = zeros(n_);
    order_->for_each_lane([&](std::size_t lane) {
      Shares shares;
      for (std::size_t g = order_->lane[lane]; g < order_->lane[lane + 1]; ++g)
        group_leverage(g, inverse, shares, by_place.data());
    });
    const std::vector<int> place = order_->places();
    for (std::size_t r = 0; r < n_; ++r) out[r] = by_place[place.empty() ? r : static_cast<std::size_t>(place[r])];
    return out;
  }

 private:
  const std::size_t n_, columns_;
  const SolverOptions options_;
  std::size_t unknowns_ = 0;
  std::vector<Term> first_, others_;
  const double* weights_ = nullptr;
  std::unique_ptr<RowOrder> order_;
  std::unique_ptr<ReducedMatrix> matrix_;
  std::unique_ptr<ReducedSolver> solver_;

  const Term& term(std::size_t t) const { return t < first_.size() ? first_[t] : others_[t - first_.size()]; }

  bool has_trends() const {
    auto trend = [](const Term& term) { return term.loading != nullptr; };
    return std::any_of(first_.begin(), first_.end(), trend) || std::any_of(others_.begin(), others_.end(), trend);
  }

  void prepare(const double* weights) {
    weights_ = weights;
    solver_.reset();
    const bool whole = unknowns_ <= options_.dense_limit && dense_pays();
    matrix_ = std::make_unique<ReducedMatrix>(*order_, unknowns_, whole);
    const bool trends = std::any_of(others_.begin(), others_.end(), [](const Term& t) { return t.loading != nullptr; });
    solver_ = std::make_unique<ReducedSolver>(*matrix_, weights != nullptr, trends, options_);
    if (whole && unknowns_ > 0) solver_->factorise();
  }

  // Whether the dense solution takes less work than the steps that the iteration is likely to
  // take. A small system is solved densely in any case, as is one with random effects, whose
  // determinant is wanted.
  bool dense_pays() const {
    constexpr std::size_t small = 512;
    constexpr double building = 2e9, steps = 40.0, row_step = 12.0;  // in products of the factorisation
    const double m = static_cast<double>(std::max<std::size_t>(1, unknowns_));
    const double products = ReducedMatrix::work(*order_, unknowns_);
    if (products > building) return false;
    if (unknowns_ <= small || first_[0].ridge > 0.0) return true;
    return 4.0 * products + m * m * m / 3.0 <
           steps * row_step * static_cast<double>((columns_ + 3) / 4) * static_cast<double>(n_ * others_.size());
  }

  // Levels of loading f of the first set alone, of columns less their centres: group means, or what a
  // trend explains of the rows less the levels before it.
  Numbers first_levels(const Rows& rows, const ColumnSums& known, std::size_t f) const {
    const Term& term = first_[f];
    const std::size_t groups = term.groups.count, width = known.width;
    if (!term.loading) {
      OneWayState state(groups, width);
      state.average(rows, term.groups, options_.threads, known.centre.data());
      return std::move(state.means);
    }
    const Sweep before = sweep_of_first(known, f);
    LevelSumSink sums = visit(view_of(rows, before), LevelSumSink({term}, groups, width), options_.threads);
    Numbers out(sums.values().begin(), sums.values().end() - static_cast<std::ptrdiff_t>(width));
    for (std::size_t g = 0; g < groups; ++g) {
      const double gram = matrix_->first_gram[f][g];
      for (std::size_t c = 0; c < width; ++c) out[g * width + c] = gram > 0.0 ? out[g * width + c] / gram : 0.0;
    }
    return out;
  }

  // Columns less their centres and the levels of the first `count` loadings of the first set.
  Sweep sweep_of_first(const ColumnSums& known, std::size_t count) const {
    Sweep out;
    out.centre = known.centre.data();
    for (std::size_t f = 0; f < count; ++f) {
      Layer layer;
      layer.groups = first_[0].groups;
      layer.levels = known.levels[f].data();
      layer.width = known.width;
      layer.loading = first_[f].loading;
      out.layers.push_back(layer);
    }
    return out;
  }

  static View view_of(const Rows& rows, const Sweep& sweep) {
    View out;
    out.rows = &rows;
    out.sweep = &sweep;
    return out;
  }

  // Rows sorted by the first set are averaged, swept and summed piece by piece, in one pass over memory.
  void sum_sorted(const Rows& rows, ColumnSums& out, LevelSumSink& right) const {
    OneWayState state(first_[0].groups.count, out.width);
    Sweep of_first = state.sweep(first_[0].groups);
    of_first.centre = out.centre.data();
    of_first.scale_by_weight = false;
    const View view = view_of(rows, of_first);
    const std::size_t parts = right.parts();
    std::vector<LevelSumSink> sums(parts, right);
    for_each_piece(parts, options_.threads, [&](std::size_t part) {
      const std::size_t first = order_->start[order_->lane[part * lanes / parts]];
      const std::size_t end = order_->start[order_->lane[(part + 1) * lanes / parts]];
      sums[part] = right.part();
      for (std::size_t at = first; at < end;) {
        const std::size_t stop = end_of_group(first_[0].groups, std::min(end, at + piece_rows), end);
        state.average_sorted(rows, first_[0].groups.codes, at, stop, out.centre.data());
        visit_rows(view, at, stop, sums[part]);
        at = stop;
      }
    });
    for (const LevelSumSink& sum : sums) right.merge(sum);
    out.levels.push_back(std::move(state.means));
  }

  // By column the sum over groups of gram times level^2.
  Numbers squares_of_levels(const ColumnSums& sums, std::size_t f, const Numbers& gram) const {
    const std::size_t width = sums.width;
    std::vector<Numbers> parts(lanes, Numbers(width, 0.0));
    order_->for_each_lane([&](std::size_t lane) {
      for (std::size_t g = order_->lane[lane]; g < order_->lane[lane + 1]; ++g)
        for (std::size_t c = 0; c < width; ++c) {
          const double level = sums.levels[f][g * width + c];
          parts[lane][c] += gram[g] * level * level;
        }
    });
    Numbers out;
    add_lanes(parts, out);
    return out;
  }

  // A copy of rows of `width` numbers, with a further one in front of each where there is to be one.
  Numbers widened(const Numbers& table, std::size_t width, bool further,
                              double value = 0.0) const {
    const std::size_t count = table.size() / width, wider = width + (further ? 1 : 0);
    Numbers out = zeros(count * wider);
    const std::vector<std::size_t> cuts = even_cuts(count, piece_rows);
    for_each_piece(cuts.size() - 1, options_.threads, [&](std::size_t piece) {
      for (std::size_t g = cuts[piece]; g < cuts[piece + 1]; ++g) {
        if (further) out[g * wider] = value;
        std::copy_n(&table[g * width], width, &out[(g + 1) * wider - width]);
      }
    });
    return out;
  }

  // A ridge leaves 1 - s = ridge / (gram + ridge) of each level of the first set in the rows: it is
  // carried to the right sides, and the rest of it kept as the shrunken level.
  void shrink_first(ReducedProblem& problem, SweptColumns& out) const {
    const Numbers& gram = matrix_->first_gram[0];
    const std::size_t width = out.width;
    Numbers& levels = out.levels[0];
    Numbers kept(gram.size());
    for (std::size_t g = 0; g < gram.size(); ++g) kept[g] = first_[0].ridge / matrix_->scale(0, g);
    carry(levels, kept, width, problem.right);
    std::vector<Numbers> left(lanes, Numbers(width, 0.0));
    order_->for_each_lane([&](std::size_t lane) {
      for (std::size_t g = order_->lane[lane]; g < order_->lane[lane + 1]; ++g)
        for (std::size_t c = 0; c < width; ++c) {
          double& level = levels[g * width + c];
          left[lane][c] += gram[g] * kept[g] * level * level;
          level *= 1.0 - kept[g];
        }
    });
    for (const Numbers& part : left)
      for (std::size_t c = 0; c < width; ++c) problem.left_by_first[c] += part[c];
  }

  // Adds to each level of the others the sum over its rows of share times the level of the first set.
  void carry(const Numbers& levels, const Numbers& share, std::size_t width,
             Numbers& right) const {
    std::vector<Numbers> parts(lanes);
    order_->for_each_lane([&](std::size_t lane) {
      allocate(parts[lane], unknowns_ * width);
      with_width(width, [&](auto known) {
        Numbers own(width);
        for (std::size_t g = order_->lane[lane]; g < order_->lane[lane + 1]; ++g) {
          for (std::size_t c = 0; c < width; ++c) own[c] = share[g] * levels[g * width + c];
          carry_group(known, g, own, parts[lane].data());
        }
      });
    });
    for (const Numbers& part : parts)
      for (std::size_t i = 0; i < part.size(); ++i) right[i] += part[i];
  }

  // Solution times right side, symmetric but for rounding.
  Numbers products(const ReducedProblem& problem) const {
    const std::size_t width = problem.width;
    Numbers out(width * width, 0.0);
    for (std::size_t u = 0; u < unknowns_; ++u)
      for (std::size_t a = 0; a < width; ++a)
        for (std::size_t b = 0; b < width; ++b)
          out[a * width + b] += problem.solution[u * width + a] * problem.right[u * width + b];
    for (std::size_t a = 0; a < width; ++a)
      for (std::size_t b = 0; b < a; ++b)
        out[a * width + b] = out[b * width + a] = (out[a * width + b] + out[b * width + a]) / 2.0;
    return out;
  }

  template <class Known>
  void carry_group(Known, std::size_t g, const Numbers& own, double* right) const {
    const std::size_t width = Known::of(own.size());
    const double* const from = own.data();
    for (std::size_t p = order_->start[g]; p < order_->start[g + 1]; ++p)
      for (const Term& term : order_->others) {
        double* const to = right + term.unknown(p) * width;
        const double load = order_->weight(p) * term.load(p);
        for (std::size_t c = 0; c < width; ++c) to[c] += load * from[c];
      }
  }

  template <class Known>
  double squared_sum(Known, std::size_t g, const double* values, Numbers& sum) const {
    const std::size_t width = Known::of(sum.size());
    double* const to = sum.data();
    std::fill_n(to, width, 0.0);
    for (std::size_t p = order_->start[g]; p < order_->start[g + 1]; ++p)
      for (const Term& term : order_->others) {
        const double* const from = values + term.unknown(p) * width;
        for (std::size_t c = 0; c < width; ++c) to[c] += from[c];
      }
    double out = 0.0;
    for (std::size_t c = 0; c < width; ++c) out += to[c] * to[c];
    return out;
  }

  // From the others' levels to those of the first set.
  void substitute_back(const ReducedProblem& problem, SweptColumns& out) const {
    const std::size_t width = out.width;
    for (const Term& term : others_)
      out.levels.emplace_back(problem.solution.begin() + static_cast<std::ptrdiff_t>(term.offset * width),
                              problem.solution.begin() +
                                  static_cast<std::ptrdiff_t>((term.offset + term.groups.count) * width));
    const bool plain = order_->is_plain();
    order_->for_each_lane([&](std::size_t lane) {
      with_width(width, [&](auto known) {
        for (std::size_t g = order_->lane[lane]; g < order_->lane[lane + 1]; ++g)
          plain ? substitute_plain(known, g, problem, out) : substitute_loaded(g, problem, out);
      });
    });
  }

  template <class Known>
  void substitute_plain(Known, std::size_t g, const ReducedProblem& problem, SweptColumns& out) const {
    const std::size_t width = Known::of(out.width);
    const double scale = matrix_->scale(0, g);
    if (scale == 0.0) return;
    double* const level = &out.levels[0][g * width];
    const double* const solution = problem.solution.data();
    for (std::size_t p = order_->start[g]; p < order_->start[g + 1]; ++p)
      for (const Term& term : order_->others) {
        const double* const other = solution + term.unknown(p) * width;
        for (std::size_t c = 0; c < width; ++c) level[c] -= other[c] / scale;
      }
  }

  void substitute_loaded(std::size_t g, const ReducedProblem& problem, SweptColumns& out) const {
    const std::size_t width = out.width;
    Numbers sum(first_.size() * width, 0.0);
    for (std::size_t p = order_->start[g]; p < order_->start[g + 1]; ++p)
      for (const Term& term : order_->others) {
        const double* level = &problem.solution[term.unknown(p) * width];
        const double load = order_->weight(p) * term.load(p);
        for (std::size_t f = 0; f < first_.size(); ++f) {
          const double both = load * order_->first[f].load(p);
          for (std::size_t c = 0; c < width; ++c) sum[f * width + c] += both * level[c];
        }
      }
    for (std::size_t f = 0; f < first_.size(); ++f) {
      const double scale = matrix_->scale(f, g);
      if (scale == 0.0) continue;
      for (std::size_t c = 0; c < width; ++c) out.levels[f][g * width + c] -= sum[f * width + c] / scale;
    }
  }

  // Levels of the columns themselves: a constant goes into the first levels that have ones
  // as their loading, or, where effects are shrunken, has the levels of the column of ones.
  void add_centre(const Numbers& centre, bool with_ones, SweptColumns& out) const {
    for (std::size_t t = 0; t < out.levels.size(); ++t) {
      if (!with_ones && term(t).loading) continue;
      Numbers& levels = out.levels[t];
      const std::vector<std::size_t> cuts = even_cuts(levels.size() / out.width, piece_rows);
      for_each_piece(cuts.size() - 1, options_.threads, [&](std::size_t piece) {
        for (std::size_t at = cuts[piece] * out.width; at < cuts[piece + 1] * out.width; at += out.width)
          for (std::size_t c = 0; c < out.width; ++c) levels[at + c] += centre[c] * (with_ones ? levels[at] : 1.0);
      });
      if (!with_ones) return;
    }
  }

  // Room to work in for one group after another.
  struct Shares {
    std::vector<std::size_t> touched;
    Numbers shares, image, inner;
  };

  void group_leverage(std::size_t g, const Numbers& inverse, Shares& room, double* by_place) const {
    const std::size_t begin = order_->start[g], end = order_->start[g + 1], loadings = first_.size(), m = unknowns_;
    std::vector<std::size_t>& touched = room.touched;
    Numbers& shares = room.shares;  // by touched unknown and loading: D2'W load_f / gram_f
    touched.clear();
    shares.clear();
    for (std::size_t p = begin; p < end; ++p)
      for (const Term& other : order_->others) {
        touched.push_back(other.unknown(p));
        for (std::size_t f = 0; f < loadings; ++f) {
          const double scale = matrix_->scale(f, g);
          const double both = order_->weight(p) * other.load(p) * order_->first[f].load(p);
          shares.push_back(scale > 0.0 ? both / scale : 0.0);
        }
      }
    // M^- a_f at every touched unknown, and a_f'M^- a_e.
    Numbers &image = room.image, &inner = room.inner;
    image.assign(touched.size() * loadings, 0.0);
    inner.assign(loadings * loadings, 0.0);
    for (std::size_t i = 0; i < touched.size(); ++i)
      for (std::size_t j = 0; j < touched.size(); ++j)
        for (std::size_t f = 0; f < loadings; ++f)
          image[i * loadings + f] += inverse[touched[i] * m + touched[j]] * shares[j * loadings + f];
    for (std::size_t i = 0; i < touched.size(); ++i)
      for (std::size_t f = 0; f < loadings; ++f)
        for (std::size_t e = 0; e < loadings; ++e)
          inner[f * loadings + e] += shares[i * loadings + f] * image[i * loadings + e];
    const std::size_t sets = order_->others.size();
    for (std::size_t p = begin; p < end; ++p) {
      double h = 0.0;
      for (std::size_t f = 0; f < loadings; ++f) {
        const double load = order_->first[f].load(p), scale = matrix_->scale(f, g);
        if (scale > 0.0) h += load * load / scale;
        for (std::size_t e = 0; e < loadings; ++e) h += load * order_->first[e].load(p) * inner[f * loadings + e];
        for (std::size_t s = 0; s < sets; ++s)
          h -= 2.0 * load * order_->others[s].load(p) * image[((p - begin) * sets + s) * loadings + f];
      }
      for (const Term& a : order_->others)
        for (const Term& b : order_->others)
          h += a.load(p) * b.load(p) * inverse[a.unknown(p) * m + b.unknown(p)];
      by_place[p] = order_->weight(p) * h;
    }
  }
};

}  // namespace wavetax
