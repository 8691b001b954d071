// Several sets of effects as one system: made once of their groups, weights and ridges, it sweeps
// any columns, as often as wanted. The levels of the first set are eliminated group by group; what
// is left is the reduced system in the levels of the others (reduced-matrix.hpp), solved from its
// factor or by conjugate gradients (reduced-solver.hpp).
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <memory>
#include <stdexcept>
#include <vector>

#include "effect-sets.hpp"
#include "oneway.hpp"
#include "reduced-matrix.hpp"
#include "reduced-solver.hpp"
#include "rows.hpp"
#include "sinks.hpp"
#include "triangle.hpp"

namespace wavetax {

// Columns swept by a system.
struct SweptColumns {
  std::vector<std::vector<double>> levels;  // by loading of each set, in order: groups x width
  std::vector<double> squares;              // z'Wz of the columns less their centres
  std::vector<double> means;                // of the first set's groups, where it has levels and nothing else
  std::vector<double> explained_by_others;  // z'W Q1 z - z'W Q z: what the other sets add, width x width
  std::size_t width = 0;
  bool converged = true, stopped = false;
  std::size_t iterations = 0;
  double achieved = 0.0;                    // the largest relative residual of a swept column
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
  void shrink(const std::vector<double>& ridges) {
    if (has_trends() || first_.size() != 1 || ridges.size() != others_.size() + 1)
      throw std::invalid_argument("Random effects are levels of sets without trends.");
    first_[0].ridge = order_->first[0].ridge = ridges[0];
    for (std::size_t s = 0; s < others_.size(); ++s) others_[s].ridge = order_->others[s].ridge = ridges[s + 1];
    prepare(weights_);
  }

  std::size_t unknowns() const { return unknowns_; }
  bool is_dense() const { return unknowns_ == 0 || solver_->factor() != nullptr; }
  // Whether the rank is that of a graph, not of pivots.
  bool is_counted() const { return unknowns_ > 0 && is_dense() && matrix_->is_graph(); }
  // Of the reduced system, where it was made whole.
  std::size_t rank() const { return unknowns_ > 0 && is_dense() ? solver_->factor()->rank() : 0; }
  std::size_t first_rank() const {
    std::size_t out = 0;
    for (const std::vector<double>& gram : matrix_->first_gram)
      out += static_cast<std::size_t>(std::count_if(gram.begin(), gram.end(), [](double g) { return g > 0.0; }));
    return out;
  }
  // Of the reduced system: m x m, 0 off its rank.
  std::vector<double> inverse() const { return solver_->factor()->inverse(); }

  // log |I + D S D'| of random effects with variances S, in units of the disturbance's.
  double log_determinant() const {
    double sum = unknowns_ > 0 ? solver_->factor()->log_determinant() : 0.0;
    for (std::size_t f = 0; f < first_.size(); ++f)
      for (const double gram : matrix_->first_gram[f]) sum += std::log1p(gram / first_[f].ridge);
    for (const Term& term : others_) sum -= static_cast<double>(term.groups.count) * std::log(term.ridge);
    return sum;
  }

  // `centre` by column is taken off first; `ones` is the place of the column of ones, or not_stored.
  SweptColumns solve(const Rows& columns, const std::vector<double>& centre, std::size_t ones) const {
    SweptColumns out;
    out.width = columns.width();
    ReducedProblem problem;
    problem.width = out.width;
    Rows rows = columns;
    rows.weights = weights_;
    first_levels(rows, centre, out, problem);
    add_right(rows, centre, out, problem);
    out.squares = problem.squares;
    if (unknowns_ > 0) {
      solver_->solve(problem);
      out.converged = problem.converged;
      out.stopped = problem.stopped;
      out.iterations = problem.iterations;
      out.achieved = problem.achieved;
      out.explained_by_others = products(problem);
      substitute_back(problem, out);
    }
    add_centre(centre, ones, out);
    return out;
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
    for (std::size_t t = 0; t < swept.levels.size(); ++t) {
      if (term(t).ridge == 0.0) continue;
      const double root = std::sqrt(term(t).ridge);
      RowBuffer buffer(out);
      for (std::size_t g = 0; g < term(t).groups.count; ++g)
        buffer.push([&](std::size_t c) { return root * swept.levels[t][g * swept.width + c]; });
      buffer.flush();
    }
    return out;
  }

  // The effects' part of each row's leverage, w d'(D'WD)^- d. With a_f the shares of a group's
  // levels in the others', v = d2 - sum_f load_f a_f and the reduced inverse M^-:
  //   h = w (sum_f load_f^2 / gram_f + v'M^- v).
  std::vector<double> leverage() const {
    if (!is_dense()) throw std::invalid_argument("Leverages need a reduced system that is solved directly.");
    std::vector<double> out = zeros(n_), inverse;
    if (unknowns_ > 0) inverse = this->inverse();
    std::vector<double> by_place = zeros(n_);
    order_->for_each_lane([&](std::size_t lane) {
      for (std::size_t g = order_->lane[lane]; g < order_->lane[lane + 1]; ++g)
        group_leverage(g, inverse, by_place.data());
    });
    for (std::size_t r = 0; r < n_; ++r) out[r] = by_place[order_->place_of(r)];
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

  // Levels of the first set alone: the group means, then what each trend explains of the rest.
  void first_levels(const Rows& rows, const std::vector<double>& centre, SweptColumns& out,
                    ReducedProblem& problem) const {
    const std::size_t width = out.width;
    problem.squares.assign(width, 0.0);
    for (std::size_t f = 0; f < first_.size(); ++f) {
      const std::vector<double>& gram = matrix_->first_gram[f];
      const std::size_t groups = first_[f].groups.count;
      if (first_[f].loading) {
        out.levels.push_back(trend_levels(rows, centre, out, f));
      } else {
        OneWayState state(groups, width);
        state.average(rows, first_[f].groups, options_.threads, centre.data());
        out.levels.push_back(std::move(state.means));
      }
      std::vector<double>& levels = out.levels.back();
      for (std::size_t g = 0; g < groups; ++g) {
        const double shrink = first_[f].ridge > 0.0 ? gram[g] / (gram[g] + first_[f].ridge) : 1.0;
        for (std::size_t c = 0; c < width; ++c) {
          double& level = levels[g * width + c];
          problem.squares[c] += gram[g] * level * level;
          level *= shrink;
        }
      }
    }
    if (first_.size() > 1 || first_[0].loading) return;
    out.means = out.levels[0];
    for (std::size_t at = 0; at < out.means.size(); at += width)
      for (std::size_t c = 0; c < width; ++c) out.means[at + c] += centre[c];
  }

  // Row r less its centre and the levels of the first `count` loadings of the first set.
  template <class Known>
  void sweep_of_first(Known, const Rows& rows, const std::vector<double>& centre, const SweptColumns& swept,
                      std::size_t r, std::size_t count, double* z) const {
    const std::size_t p = Known::of(swept.width);
    const double* const* column = rows.columns.data();
    for (std::size_t c = 0; c < p; ++c) z[c] = column[c][r] - centre[c];
    const std::size_t group = first_[0].groups.of(r);
    for (std::size_t f = 0; f < count; ++f) {
      const double load = first_[f].load(r);
      const double* level = &swept.levels[f][group * p];
      for (std::size_t c = 0; c < p; ++c) z[c] -= level[c] * load;
    }
  }

  // What trend f explains by group of the rows less the levels before it.
  std::vector<double> trend_levels(const Rows& rows, const std::vector<double>& centre, const SweptColumns& swept,
                                   std::size_t f) const {
    const Term& term = first_[f];
    const std::size_t width = swept.width;
    std::vector<double> sums = sum_in_lanes(
        rows.n, term.groups.count * width, options_.threads, [&](double* table, std::size_t begin, std::size_t end) {
          std::vector<double> z(width);
          for (std::size_t r = begin; r < end; ++r) {
            sweep_of_first(AnyWidth(), rows, centre, swept, r, f, z.data());
            double* sum = table + term.groups.of(r) * width;
            const double load = rows.weight(r) * term.load(r);
            for (std::size_t c = 0; c < width; ++c) sum[c] += load * z[c];
          }
        });
    for (std::size_t g = 0; g < term.groups.count; ++g) {
      const double gram = matrix_->first_gram[f][g];
      for (std::size_t c = 0; c < width; ++c) sums[g * width + c] = gram > 0.0 ? sums[g * width + c] / gram : 0.0;
    }
    return sums;
  }

  // The right sides of the reduced system, and behind them the squared norms of the columns.
  void add_right(const Rows& rows, const std::vector<double>& centre, const SweptColumns& swept,
                 ReducedProblem& problem) const {
    const std::size_t width = swept.width, size = unknowns_ * width;
    problem.right =
        sum_in_lanes(rows.n, size + width, options_.threads, [&](double* table, std::size_t begin, std::size_t end) {
          with_width(width, [&](auto known) {
            add_right_rows(known, rows, centre, swept, begin, end, table, table + size);
          });
        });
    problem.left_by_first.assign(problem.right.begin() + static_cast<std::ptrdiff_t>(size), problem.right.end());
    problem.right.resize(size);
    for (std::size_t c = 0; c < width; ++c) problem.squares[c] += problem.left_by_first[c];
  }

  template <class Known>
  void add_right_rows(Known known, const Rows& rows, const std::vector<double>& centre, const SweptColumns& swept,
                      std::size_t begin, std::size_t end, double* table, double* squares) const {
    const std::size_t p = Known::of(swept.width);
    std::vector<double> z(p);
    for (std::size_t r = begin; r < end; ++r) {
      if (r + fetch_ahead < end)
        for (std::size_t f = 0; f < first_.size(); ++f)
          __builtin_prefetch(&swept.levels[f][first_[0].groups.of(r + fetch_ahead) * p]);
      sweep_of_first(known, rows, centre, swept, r, first_.size(), z.data());
      const double w = rows.weight(r);
      for (std::size_t c = 0; c < p; ++c) squares[c] += w * z[c] * z[c];
      for (const Term& term : others_) {
        double* to = table + term.unknown(r) * p;
        const double load = w * term.load(r);
        for (std::size_t c = 0; c < p; ++c) to[c] += load * z[c];
      }
    }
  }

  // Solution times right side, symmetric but for rounding.
  std::vector<double> products(const ReducedProblem& problem) const {
    const std::size_t width = problem.width;
    std::vector<double> out(width * width, 0.0);
    for (std::size_t u = 0; u < unknowns_; ++u)
      for (std::size_t a = 0; a < width; ++a)
        for (std::size_t b = 0; b < width; ++b)
          out[a * width + b] += problem.solution[u * width + a] * problem.right[u * width + b];
    for (std::size_t a = 0; a < width; ++a)
      for (std::size_t b = 0; b < a; ++b)
        out[a * width + b] = out[b * width + a] = (out[a * width + b] + out[b * width + a]) / 2.0;
    return out;
  }

  // From the others' levels to those of the first set.
  void substitute_back(const ReducedProblem& problem, SweptColumns& out) const {
    const std::size_t width = out.width;
    for (const Term& term : others_)
      out.levels.emplace_back(problem.solution.begin() + static_cast<std::ptrdiff_t>(term.offset * width),
                              problem.solution.begin() +
                                  static_cast<std::ptrdiff_t>((term.offset + term.groups.count) * width));
    order_->for_each_lane([&](std::size_t lane) {
      std::vector<double> sum(first_.size() * width);
      for (std::size_t g = order_->lane[lane]; g < order_->lane[lane + 1]; ++g) {
        std::fill(sum.begin(), sum.end(), 0.0);
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
    });
  }

  // Levels of the columns themselves: a constant goes into the first levels that have ones
  // as their loading, or, where effects are shrunken, has the levels of the column of ones.
  void add_centre(const std::vector<double>& centre, std::size_t ones, SweptColumns& out) const {
    for (std::size_t t = 0; t < out.levels.size(); ++t) {
      if (ones == not_stored && term(t).loading) continue;
      for (std::size_t at = 0; at < out.levels[t].size(); at += out.width)
        for (std::size_t c = 0; c < out.width; ++c)
          out.levels[t][at + c] += centre[c] * (ones == not_stored ? 1.0 : out.levels[t][at + ones]);
      if (ones == not_stored) return;
    }
  }

  void group_leverage(std::size_t g, const std::vector<double>& inverse, double* by_place) const {
    const std::size_t begin = order_->start[g], end = order_->start[g + 1], loadings = first_.size(), m = unknowns_;
    std::vector<std::size_t> touched;
    std::vector<double> shares;  // by touched unknown and loading: D2'W load_f / gram_f
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
    std::vector<double> image(touched.size() * loadings, 0.0), inner(loadings * loadings, 0.0);
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
