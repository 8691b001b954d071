// Several sets of effects swept out of the columns together.
//
// A set has a level for each of its groups and loadings (ones, a trend); its loadings are
// orthogonal within each group, so that its own normal equations are diagonal. The levels
// of the first set are eliminated group by group; what is left is a system in the levels
// of the others, the reduced system: solved densely where it is small, otherwise by
// conjugate gradients. A set with a ridge has random effects: its levels are shrunken.
//
// Notation: D1 the columns of the first set, D2 those of the others (m of them), W the
// weights, Q1 = I - D1 (D1'W D1 + ridge)^-1 D1'W; the reduced system is
//   (D2'W Q1 D2 + ridge) g = D2'W Q1 z.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <functional>
#include <memory>
#include <numeric>
#include <vector>

#include "cholesky.hpp"
#include "laplacian.hpp"
#include "oneway.hpp"
#include "parallel.hpp"
#include "rank.hpp"
#include "rows.hpp"
#include "triangle.hpp"

namespace wavetax {

struct EffectSet {
  const int* codes = nullptr;             // group of each row, from 1
  std::size_t count = 0;                  // groups
  std::vector<const double*> loadings;    // by row; a null pointer stands for ones
  double ridge = 0.0;
};

struct AbsorbOptions {
  double tolerance = 1e-10;         // relative residual of each swept column
  std::size_t max_iterations = 5000;
  std::size_t dense_limit = 2048;   // unknowns of the largest reduced system that is solved densely
  int threads = 1;
  std::function<bool()> stop = [] { return false; };  // whether the user wants out
};

// Work on groups is cut into this many parts whatever the number of threads, and sums are
// added part by part, so that the digits do not depend on the threads.
constexpr std::size_t lanes = 4;

class Absorber {
 public:
  // One for each loading of each set, in order: groups x width.
  std::vector<std::vector<double>> levels;
  std::size_t unknowns = 0;        // of the reduced system
  std::size_t rank = 0;            // of the reduced system, where it was solved densely
  std::size_t first_rank = 0;      // of the first set
  bool dense = true, converged = true, stopped = false;
  bool counted = false;            // whether the rank is that of a graph, not of pivots
  std::size_t iterations = 0;
  double achieved = 0.0;           // the largest relative residual of a swept column
  std::vector<double> means;       // of the first set's groups, where it has levels and nothing else
  std::vector<double> shared;      // z'Q1 z - z'Q z: what the other sets explain of what it leaves
  std::vector<double> inverse;     // of the reduced system where dense: m x m, 0 off its rank

  // `centre` by column is taken off first; `ones` is the place of the column of ones, or
  // not_stored.
  Absorber(const Rows& rows, const std::vector<EffectSet>& sets, const std::vector<double>& centre,
           std::size_t ones, const AbsorbOptions& options)
      : rows_(rows), centre_(centre), options_(options), width_(rows.width()) {
    for (std::size_t s = 0; s < sets.size(); ++s)
      for (const double* loading : sets[s].loadings) {
        Term term;
        term.codes = sets[s].codes;
        term.count = sets[s].count;
        term.loading = loading;
        term.ridge = sets[s].ridge;
        term.offset = s == 0 ? 0 : unknowns;
        if (s > 0) unknowns += term.count;
        (s == 0 ? first_ : others_).push_back(term);
        levels.push_back(zeros(term.count * width_));
      }
    order_by_group(sets[0]);
    dense = unknowns <= options.dense_limit && dense_pays();
    first_levels();
    if (first_.size() == 1 && !first_[0].loading) keep_means();
    add_right();
    if (unknowns > 0) {
      add_matrix(sets);
      dense ? solve_dense(sets) : solve_iterated();
      share();
      substitute_back();
    }
    undo_centre(ones);
  }

  Sweep sweep(const std::vector<std::size_t>& pick = {}) const {
    Sweep out;
    for (std::size_t t = 0; t < levels.size(); ++t) {
      const Term& term = t < first_.size() ? first_[t] : others_[t - first_.size()];
      Layer layer;
      layer.codes = term.codes;
      layer.levels = levels[t].data();
      layer.width = width_;
      layer.loading = term.loading;
      out.layers.push_back(layer);
    }
    out.pick = pick;
    out.scale_by_weight = true;
    return out;
  }

  // The factor of the swept rows, and of a row for each shrunken level: least squares on
  // both is generalised least squares (the ridge is the price of a level).
  Triangle triangle() const {
    Triangle out = accumulate_triangle(rows_, sweep(), options_.threads);
    for (std::size_t t = 0; t < levels.size(); ++t) {
      const Term& term = t < first_.size() ? first_[t] : others_[t - first_.size()];
      if (term.ridge == 0.0) continue;
      const double root = std::sqrt(term.ridge);
      RowBuffer buffer(out);
      for (std::size_t g = 0; g < term.count; ++g)
        buffer.push([&](std::size_t c) { return root * levels[t][g * width_ + c]; });
      buffer.flush();
    }
    return out;
  }

  // Squared norms of the columns less their centres.
  const std::vector<double>& squares() const { return total_; }

  // log |I + D S D'| of random effects with variances S, in units of the disturbance's.
  double log_determinant() const {
    if (first_[0].ridge == 0.0) return 0.0;
    double sum = log_pivots_;
    for (std::size_t f = 0; f < first_.size(); ++f)
      for (const double gram : first_gram_[f]) sum += std::log1p(gram / first_[f].ridge);
    for (const Term& term : others_) sum -= static_cast<double>(term.count) * std::log(term.ridge);
    return sum;
  }

 private:
  struct Term {
    const int* codes = nullptr;
    std::size_t count = 0;
    const double* loading = nullptr;
    double ridge = 0.0;
    std::size_t offset = 0;  // of its levels among the unknowns
    double load(std::size_t row) const { return loading ? loading[row] : 1.0; }
    std::size_t unknown(std::size_t row) const {
      return offset + static_cast<std::size_t>(codes[row]) - 1;
    }
  };

  // The same by place: rows in the order of the groups of the first set, copied where they
  // do not stand so.
  struct Placed {
    std::vector<Term> first, others;
    const double* weights = nullptr;
    std::vector<std::vector<int>> own_codes;
    std::vector<std::vector<double>> own_numbers;
    double weight(std::size_t place) const { return weights ? weights[place] : 1.0; }
  };

  const Rows& rows_;
  const std::vector<double> centre_;
  const AbsorbOptions options_;
  const std::size_t width_;
  std::vector<Term> first_, others_;
  std::vector<std::vector<double>> first_gram_;  // by loading of the first set: D'WD by group
  std::vector<std::size_t> start_;               // where each group's rows begin
  Placed placed_;
  std::vector<std::size_t> lane_;                // groups of each lane
  std::vector<double> right_, solution_;         // m x width
  std::vector<double> matrix_;                   // m x m, or the diagonal
  std::vector<double> gram_;                     // D2'W D2, its diagonal
  std::vector<double> own_, total_;              // squared norms of Q1 z and of z
  std::vector<Edge> edges_;
  double log_pivots_ = 0.0;
  std::size_t steps_ = 0;  // of the columns that took the most

  // Counting sort of the rows by group of the first set, unless they are in order.
  void order_by_group(const EffectSet& set) {
    start_.assign(set.count + 1, 0);
    for (std::size_t r = 0; r < rows_.n; ++r) ++start_[static_cast<std::size_t>(set.codes[r])];
    for (std::size_t g = 0; g < set.count; ++g) start_[g + 1] += start_[g];
    placed_.first = first_;
    placed_.others = others_;
    placed_.weights = rows_.weights;
    if (!others_.empty() && !std::is_sorted(set.codes, set.codes + rows_.n)) copy_by_group(set);
    lane_.assign(1, 0);
    for (std::size_t l = 1; l < lanes; ++l)
      lane_.push_back(static_cast<std::size_t>(
          std::lower_bound(start_.begin(), start_.end() - 1, rows_.n * l / lanes) - start_.begin()));
    lane_.push_back(set.count);
  }

  void copy_by_group(const EffectSet& set) {
    std::vector<int> place, next(start_.begin(), start_.end() - 1);
    allocate(place, rows_.n);
    for (std::size_t r = 0; r < rows_.n; ++r) {
      if (r + fetch_ahead < rows_.n) __builtin_prefetch(&next[static_cast<std::size_t>(set.codes[r + fetch_ahead]) - 1], 1);
      place[r] = next[static_cast<std::size_t>(set.codes[r]) - 1]++;
    }
    auto scatter = [&](const auto* from, auto* to) {
      const std::size_t piece = std::size_t{1} << 18;
      for_each_piece((rows_.n + piece - 1) / piece, options_.threads, [&](std::size_t p) {
        const std::size_t end = std::min(rows_.n, (p + 1) * piece);
        for (std::size_t r = p * piece; r < end; ++r) {
          if (r + fetch_ahead < end) __builtin_prefetch(&to[place[r + fetch_ahead]], 1);
          to[place[r]] = from[r];
        }
      });
    };
    auto numbers = [&](const double* from) -> const double* {
      if (!from) return nullptr;
      placed_.own_numbers.push_back(zeros(rows_.n));
      scatter(from, placed_.own_numbers.back().data());
      return placed_.own_numbers.back().data();
    };
    const int* before = nullptr;
    for (Term& term : placed_.others) {
      if (term.codes != before) {
        before = term.codes;
        placed_.own_codes.emplace_back();
        allocate(placed_.own_codes.back(), rows_.n);
        scatter(term.codes, placed_.own_codes.back().data());
      }
      term.codes = placed_.own_codes.back().data();
      term.loading = numbers(term.loading);
    }
    for (Term& term : placed_.first) term.loading = numbers(term.loading);
    placed_.weights = numbers(rows_.weights);
  }

  // Whether the dense solution takes less work than the steps that the iteration is likely to
  // take. A small system is solved densely in any case, as is one with random effects, whose
  // determinant is wanted.
  bool dense_pays() const {
    constexpr std::size_t small = 512;
    constexpr double building = 2e9, steps = 40.0, row_step = 12.0;  // in products of the factorisation
    const double m = static_cast<double>(std::max<std::size_t>(1, unknowns));
    double products = 0.0;
    for (std::size_t g = 0; g + 1 < start_.size(); ++g) {
      const double entries = std::min(static_cast<double>((start_[g + 1] - start_[g]) * others_.size()), m);
      products += entries * entries;
    }
    if (products > building) return false;
    if (unknowns <= small || first_[0].ridge > 0.0) return true;
    const double columns = static_cast<double>((width_ + 3) / 4);
    return 4.0 * products + m * m * m / 3.0 <
           steps * row_step * columns * static_cast<double>(rows_.n * others_.size());
  }

  template <class Body>
  void for_each_lane(Body&& body) const {
    for_each_piece(lanes, options_.threads, body);
  }

  static void add_lanes(const std::vector<std::vector<double>>& parts, std::vector<double>& sum) {
    sum = parts[0];
    for (std::size_t l = 1; l < parts.size(); ++l)
      for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += parts[l][i];
  }

  // Levels of the first set alone: the group means, then what each trend explains of the rest.
  void first_levels() {
    total_.assign(width_, 0.0);
    for (std::size_t f = 0; f < first_.size(); ++f) {
      const Term& term = first_[f];
      std::vector<double> gram;
      if (term.loading) {
        const std::vector<double> sums = loading_sums(f);
        for (std::size_t g = 0; g < term.count; ++g) {
          gram.push_back(sums[g * (width_ + 1) + width_]);
          for (std::size_t c = 0; c < width_; ++c)
            levels[f][g * width_ + c] = gram[g] > 0.0 ? sums[g * (width_ + 1) + c] / gram[g] : 0.0;
        }
      } else {
        OneWayState state(term.count, width_);
        state.average(rows_, term.codes, std::is_sorted(term.codes, term.codes + rows_.n), options_.threads,
                      centre_.data());
        gram = std::move(state.weight);
        levels[f] = std::move(state.means);
      }
      for (std::size_t g = 0; g < term.count; ++g) {
        if (gram[g] > 0.0) ++first_rank;
        for (std::size_t c = 0; c < width_; ++c) {
          double& level = levels[f][g * width_ + c];
          total_[c] += gram[g] * level * level;
          if (term.ridge > 0.0) level *= gram[g] / (gram[g] + term.ridge);
        }
      }
      first_gram_.push_back(std::move(gram));
    }
    own_ = std::vector<double>(width_, 0.0);
  }

  void keep_means() {
    means = levels[0];
    for (std::size_t at = 0; at < means.size(); at += width_)
      for (std::size_t c = 0; c < width_; ++c) means[at + c] += centre_[c];
  }

  // Row r less its centre and the levels of the first `count` loadings of the first set.
  template <class Known>
  void rest(Known, std::size_t r, std::size_t count, double* z) const {
    const std::size_t p = Known::of(width_);
    const double* const* column = rows_.columns.data();
    for (std::size_t c = 0; c < p; ++c) z[c] = column[c][r] - centre_[c];
    const std::size_t group = static_cast<std::size_t>(first_[0].codes[r]) - 1;
    for (std::size_t f = 0; f < count; ++f) {
      const double load = first_[f].load(r);
      const double* level = &levels[f][group * p];
      for (std::size_t c = 0; c < p; ++c) z[c] -= level[c] * load;
    }
  }

  // By group the sums of w load z, and of w load^2.
  std::vector<double> loading_sums(std::size_t f) const {
    const Term& term = first_[f];
    return sum_in_lanes(rows_.n, term.count * (width_ + 1), options_.threads,
                        [&](double* table, std::size_t begin, std::size_t end) {
                          std::vector<double> z(width_);
                          for (std::size_t r = begin; r < end; ++r) {
                            rest(AnyWidth(), r, f, z.data());
                            double* sum = table + static_cast<std::size_t>(term.codes[r] - 1) * (width_ + 1);
                            const double load = rows_.weight(r) * term.load(r);
                            for (std::size_t c = 0; c < width_; ++c) sum[c] += load * z[c];
                            sum[width_] += load * term.load(r);
                          }
                        });
  }

  // The right side of the reduced system, and behind it the squared norms of the columns.
  void add_right() {
    const std::size_t size = unknowns * width_;
    right_ = sum_in_lanes(rows_.n, size + width_, options_.threads,
                          [&](double* table, std::size_t begin, std::size_t end) {
                            with_width(width_, [&](auto known) {
                              add_right_rows(known, begin, end, table, table + size);
                            });
                          });
    own_.assign(right_.begin() + size, right_.end());
    right_.resize(size);
    for (std::size_t c = 0; c < width_; ++c) total_[c] += own_[c];
  }

  template <class Known>
  void add_right_rows(Known known, std::size_t begin, std::size_t end, double* table, double* own) const {
    const std::size_t p = Known::of(width_);
    std::vector<double> z(p);
    for (std::size_t r = begin; r < end; ++r) {
      if (r + fetch_ahead < end) {
        const std::size_t next = static_cast<std::size_t>(first_[0].codes[r + fetch_ahead]) - 1;
        for (std::size_t f = 0; f < first_.size(); ++f) __builtin_prefetch(&levels[f][next * p]);
      }
      rest(known, r, first_.size(), z.data());
      const double w = rows_.weight(r);
      for (std::size_t c = 0; c < p; ++c) own[c] += w * z[c] * z[c];
      for (const Term& term : others_) {
        double* to = table + term.unknown(r) * p;
        const double load = w * term.load(r);
        for (std::size_t c = 0; c < p; ++c) to[c] += load * z[c];
      }
    }
  }

  // The matrix of the reduced system or, for the iteration, its diagonal and a sample of its
  // edges.
  void add_matrix(const std::vector<EffectSet>& sets) {
    const std::size_t m = unknowns;
    const bool sample = !dense && !sets[0].loadings[0] && !sets[1].loadings[0] && sets[1].ridge == 0.0;
    std::vector<std::vector<double>> matrix(lanes), gram(lanes);
    std::vector<std::vector<Edge>> edges(lanes);
    for_each_lane([&](std::size_t lane) {
      allocate(matrix[lane], dense ? m * m : m);
      allocate(gram[lane], m);
      if (dense && is_plain_graph()) return add_links(lane, matrix[lane], gram[lane]);
      Entries entries(m, first_.size());
      for (std::size_t g = lane_[lane]; g < lane_[lane + 1]; ++g) {
        add_group(g, entries, matrix[lane], gram[lane]);
        if (sample) entries.sample(sets[1].count, g, edges[lane]);
      }
    });
    add_lanes(matrix, matrix_);
    add_lanes(gram, gram_);
    for (std::vector<Edge>& some : edges) {
      edges_.insert(edges_.end(), some.begin(), some.end());
      std::vector<Edge>().swap(some);
    }
  }

  // One set of levels beside the first, and rows that count alike: the matrix is that of a graph.
  bool is_plain_graph() const {
    return first_.size() == 1 && others_.size() == 1 && !first_[0].loading && !others_[0].loading && !rows_.weights;
  }

  // Each group links its levels to each other; groups in a row that have the same levels are
  // taken together.
  void add_links(std::size_t lane, std::vector<double>& matrix, std::vector<double>& gram) const {
    const std::size_t m = unknowns;
    const Term& other = placed_.others[0];
    std::vector<std::size_t> levels_before, levels_now;
    double alike = 0.0;
    auto add = [&]() {
      if (alike == 0.0) return;
      const double size = static_cast<double>(levels_before.size()), factor = alike / (size + first_[0].ridge);
      for (std::size_t a = 0; a < levels_before.size(); ++a) {
        double* line = &matrix[levels_before[a] * m];
        for (const std::size_t u : levels_before) line[u] -= factor;
        line[levels_before[a]] += alike;
        gram[levels_before[a]] += alike;
      }
    };
    for (std::size_t g = lane_[lane]; g < lane_[lane + 1]; ++g) {
      levels_now.clear();
      for (std::size_t p = start_[g]; p < start_[g + 1]; ++p) levels_now.push_back(other.unknown(p));
      if (levels_now == levels_before) {
        alike += 1.0;
        continue;
      }
      add();
      levels_before.swap(levels_now);
      alike = levels_before.empty() ? 0.0 : 1.0;
    }
    add();
  }

  // The unknowns that a group touches, each once: B_i = D1_i'W D2 by loading of the first set.
  struct Entries {
    std::vector<int> slot;               // of each unknown, -1 where not touched
    std::vector<std::size_t> unknown;    // touched ones
    std::vector<double> b;               // by touched unknown and loading
    std::size_t loadings;

    Entries(std::size_t m, std::size_t loadings_) : slot(m, -1), loadings(loadings_) {}

    double* of(std::size_t u) {
      if (slot[u] < 0) {
        slot[u] = static_cast<int>(unknown.size());
        unknown.push_back(u);
        b.insert(b.end(), loadings, 0.0);
      }
      return &b[static_cast<std::size_t>(slot[u]) * loadings];
    }
    void clear() {
      for (const std::size_t u : unknown) slot[u] = -1;
      unknown.clear();
      b.clear();
    }
    // The group's links between the levels of the second set, thinned to a tree's worth.
    void sample(std::size_t count, std::size_t seed, std::vector<Edge>& edges) {
      Neighbours near;
      for (std::size_t e = 0; e < unknown.size(); ++e)
        if (unknown[e] < count) near.push_back({static_cast<int>(unknown[e]), b[e * loadings]});
      sample_clique(near, Random(seed), edges);
      clear();
    }
  };

  void add_group(std::size_t g, Entries& entries, std::vector<double>& matrix,
                 std::vector<double>& gram) const {
    const std::size_t m = unknowns;
    const std::vector<Term>&others = placed_.others, &first = placed_.first;
    entries.clear();
    for (std::size_t p = start_[g]; p < start_[g + 1]; ++p) {
      const double w = placed_.weight(p);
      for (const Term& term : others) {
        const std::size_t u = term.unknown(p);
        const double load = w * term.load(p);
        double* b = entries.of(u);
        for (std::size_t f = 0; f < first.size(); ++f) b[f] += load * first[f].load(p);
        gram[u] += load * term.load(p);
        if (!dense) {
          matrix[u] += load * term.load(p);
          continue;
        }
        for (const Term& other : others) matrix[u * m + other.unknown(p)] += load * other.load(p);
      }
    }
    for (std::size_t f = 0; f < first_.size(); ++f) {
      const double scale = first_gram_[f][g] + first_[f].ridge;
      if (scale == 0.0) continue;
      for (std::size_t a = 0; a < entries.unknown.size(); ++a) {
        const double factor = entries.b[a * first_.size() + f] / scale;
        if (!dense) {
          matrix[entries.unknown[a]] -= factor * entries.b[a * first_.size() + f];
          continue;
        }
        double* line = &matrix[entries.unknown[a] * m];
        for (std::size_t e = 0; e < entries.unknown.size(); ++e)
          line[entries.unknown[e]] -= factor * entries.b[e * first_.size() + f];
      }
    }
  }

  // Of two sets of levels one level in each connected component stands for the rest of the
  // system's null space; with more sets, or trends, the pivots tell.
  void solve_dense(const std::vector<EffectSet>& sets) {
    const std::size_t m = unknowns;
    for (const Term& term : others_)
      for (std::size_t u = term.offset; u < term.offset + term.count; ++u)
        matrix_[u * m + u] += term.ridge;
    const std::vector<char> references = reference_levels(sets);
    counted = !references.empty();
    if (counted) balance_diagonal();
    const Eigen::Map<const Eigen::MatrixXd> matrix(matrix_.data(), m, m);
    const Cholesky factor(matrix, gram_, references, references.empty() ? 1e-10 : 0.0, options_.threads);
    rank = factor.rank();
    log_pivots_ = factor.log_determinant();
    solution_ = right_;
    factor.solve(solution_, width_);
    refine(factor);
    if (m <= 512) inverse = factor.inverse();
    std::vector<double>().swap(matrix_);
  }

  // Of a Laplacian, whose lines add up to nothing: from the links, not from differences.
  void balance_diagonal() {
    for (std::size_t u = 0; u < unknowns; ++u) {
      double* line = &matrix_[u * unknowns];
      line[u] = 0.0;
      line[u] = -std::accumulate(line, line + unknowns, 0.0);
    }
  }

  // Two levels are linked where a group of the first set has both: the links are the matrix's. One
  // level a component stands for the rest of the null space.
  std::vector<char> reference_levels(const std::vector<EffectSet>& sets) const {
    if (sets.size() != 2 || first_.size() != 1 || others_.size() != 1 || first_[0].loading ||
        others_[0].loading || first_[0].ridge > 0.0 || others_[0].ridge > 0.0)
      return {};
    std::vector<char> out(unknowns, 0), seen(unknowns, 0);
    std::vector<std::size_t> reached;
    for (std::size_t root = unknowns; root-- > 0;) {
      if (seen[root]) continue;
      out[root] = seen[root] = 1;
      reached.assign(1, root);
      while (!reached.empty()) {
        const double* line = &matrix_[reached.back() * unknowns];
        reached.pop_back();
        for (std::size_t u = 0; u < unknowns; ++u)
          if (line[u] != 0.0 && !seen[u]) {
            seen[u] = 1;
            reached.push_back(u);
          }
      }
    }
    return out;
  }

  // What the direct solution leaves is measured: on the system's own matrix and, where weights or
  // trends may have cost that digits, on the rows. Above 1e-12 it is solved for once more; should
  // that not be enough, conjugate gradients go on from the factor.
  void refine(const Cholesky& factor) {
    const bool uneven = rows_.weights || std::any_of(others_.begin(), others_.end(), [](const Term& term) {
      return term.loading != nullptr;
    });
    bool settled = true;
    std::vector<double> residual = residual_of_matrix();
    achieved = measure_all(residual, settled);
    if (!uneven && achieved <= 1e-12) return;
    for (int round = 0; round < 2; ++round) {
      residual = residual_of_rows();
      achieved = measure_all(residual, settled);
      if (achieved <= 1e-12 || round == 1) break;
      factor.solve(residual, width_);
      for (std::size_t i = 0; i < residual.size(); ++i) solution_[i] += residual[i];
    }
    constexpr std::size_t further = 50;
    if (!settled) iterate_columns(factor, std::min(further, options_.max_iterations));
  }

  std::vector<double> residual_of_matrix() const {
    using ByRow = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
    const Eigen::Index m = static_cast<Eigen::Index>(unknowns), p = static_cast<Eigen::Index>(width_);
    std::vector<double> out = right_;
    Eigen::Map<ByRow>(out.data(), m, p).noalias() -= Eigen::Map<const ByRow>(matrix_.data(), m, m).lazyProduct(
        Eigen::Map<const ByRow>(solution_.data(), m, p));
    return out;
  }

  std::vector<double> residual_of_rows() const {
    std::vector<double> out = right_, part(unknowns * 4), image;
    for (std::size_t c = 0; c < width_; c += 4) {
      const std::size_t active = std::min<std::size_t>(4, width_ - c);
      std::fill(part.begin(), part.end(), 0.0);
      for (std::size_t u = 0; u < unknowns; ++u)
        for (std::size_t a = 0; a < active; ++a) part[u * 4 + a] = solution_[u * width_ + c + a];
      apply<4>(part, image);
      for (std::size_t u = 0; u < unknowns; ++u)
        for (std::size_t a = 0; a < active; ++a) out[u * width_ + c + a] -= image[u * 4 + a];
    }
    return out;
  }

  // The largest relative residual; `settled` is whether every column is within the tolerance or at
  // its rounding.
  double measure_all(const std::vector<double>& residual, bool& settled) const {
    double worst = 0.0;
    settled = true;
    for (std::size_t c = 0; c < width_; ++c) {
      double energy = 0.0, mean = 0.0, levels_size = 0.0;
      for (std::size_t u = 0; u < unknowns; ++u) {
        const std::size_t at = u * width_ + c;
        energy += solution_[at] * (right_[at] + residual[at]);
        levels_size += gram_[u] * solution_[at] * solution_[at];
        if (gram_[u] > 0.0) mean += residual[at] * residual[at] / gram_[u];
      }
      const double left = relative_residual(c, energy, mean);
      if (left > options_.tolerance && !at_rounding(c, mean, levels_size)) settled = false;
      worst = std::max(worst, left);
    }
    return worst;
  }

  // The group means left in a swept column against the column.
  double relative_residual(std::size_t column, double energy, double mean) const {
    const double swept = std::max(0.0, own_[column] - energy);
    return swept > 0.0 ? std::sqrt(mean / swept) : 0.0;
  }

  // Whether what is left is no more than the rounding of the numbers it was computed from: a column
  // that the effects hold has nothing to compare with, and one of wide weights or long chains of
  // levels little.
  bool at_rounding(std::size_t column, double mean, double levels_size) const {
    constexpr double rounding = 1e-14;
    return mean <= rounding * rounding * (total_[column] + levels_size);
  }

  // ---- conjugate gradients -------------------------------------------------

  // A graph with many edges a vertex is dear to factor and likely well connected, so that the
  // diagonal alone does: that is tried first, and the factor made where it does not.
  void solve_iterated() {
    constexpr std::size_t many_edges = 6, diagonal_steps = 40;
    if (edges_.size() > many_edges * others_[0].count) {
      iterate_columns(Preconditioner({}, others_[0].count, matrix_, gram_),
                      std::min(diagonal_steps, options_.max_iterations));
      if (converged || stopped) return;
    }
    iterate_columns(Preconditioner(edges_, others_[0].count, matrix_, gram_), options_.max_iterations);
  }

  template <class Inverse>
  void iterate_columns(const Inverse& preconditioner, std::size_t most) {
    allocate(solution_, unknowns * width_);
    converged = true;
    achieved = 0.0;
    steps_ = 0;
    for (std::size_t c = 0; c < width_ && !stopped; c += 4) {
      if (width_ - c == 1) {
        iterate<1>(c, preconditioner, most);
      } else {
        iterate<4>(c, preconditioner, most);
      }
    }
    iterations += steps_;
  }

  // M v for P columns at a time: spread to the rows, swept of the first set, and summed.
  template <std::size_t P>
  void apply(const std::vector<double>& v, std::vector<double>& out) const {
    const std::size_t m = unknowns;
    std::vector<std::vector<double>> parts(lanes);
    const bool plain = first_.size() == 1 && !first_[0].loading && !rows_.weights &&
                       std::all_of(others_.begin(), others_.end(),
                                   [](const Term& term) { return !term.loading; });
    for_each_lane([&](std::size_t lane) {
      std::vector<double>& sum = parts[lane];
      allocate(sum, m * P);
      std::vector<double> spread;
      for (std::size_t g = lane_[lane]; g < lane_[lane + 1]; ++g) {
        plain ? apply_plain<P>(g, v, spread, sum) : apply_group<P>(g, v, spread, sum);
      }
    });
    add_lanes(parts, out);
    for (const Term& term : others_)
      if (term.ridge > 0.0)
        for (std::size_t u = term.offset; u < term.offset + term.count; ++u)
          for (std::size_t c = 0; c < P; ++c) out[u * P + c] += term.ridge * v[u * P + c];
  }

  template <std::size_t P>
  void apply_plain(std::size_t g, const std::vector<double>& v, std::vector<double>& spread,
                   std::vector<double>& sum) const {
    const std::size_t begin = start_[g], size = start_[g + 1] - begin;
    spread.assign(size * P, 0.0);
    double mean[P] = {};
    for (std::size_t p = 0; p < size; ++p) {
      const std::size_t r = begin + p;
      double* to = &spread[p * P];
      for (const Term& term : placed_.others) {
        const double* from = &v[term.unknown(r) * P];
        for (std::size_t c = 0; c < P; ++c) to[c] += from[c];
      }
      for (std::size_t c = 0; c < P; ++c) mean[c] += to[c];
    }
    for (std::size_t c = 0; c < P; ++c) mean[c] /= static_cast<double>(size) + first_[0].ridge;
    for (std::size_t p = 0; p < size; ++p) {
      const std::size_t r = begin + p;
      double* from = &spread[p * P];
      for (std::size_t c = 0; c < P; ++c) from[c] -= mean[c];
      for (const Term& term : placed_.others) {
        double* to = &sum[term.unknown(r) * P];
        for (std::size_t c = 0; c < P; ++c) to[c] += from[c];
      }
    }
  }

  template <std::size_t P>
  void apply_group(std::size_t g, const std::vector<double>& v, std::vector<double>& spread,
                   std::vector<double>& sum) const {
    const std::size_t begin = start_[g], size = start_[g + 1] - begin;
    spread.assign(size * P, 0.0);
    for (std::size_t p = 0; p < size; ++p) {
      const std::size_t r = begin + p;
      for (const Term& term : placed_.others)
        for (std::size_t c = 0; c < P; ++c)
          spread[p * P + c] += v[term.unknown(r) * P + c] * term.load(r);
    }
    for (std::size_t f = 0; f < first_.size(); ++f) {
      const double scale = first_gram_[f][g] + first_[f].ridge;
      if (scale == 0.0) continue;
      double level[P] = {};
      for (std::size_t p = 0; p < size; ++p) {
        const std::size_t r = begin + p;
        const double load = placed_.weight(r) * placed_.first[f].load(r);
        for (std::size_t c = 0; c < P; ++c) level[c] += load * spread[p * P + c];
      }
      // The loadings are orthogonal: taking one off leaves the sums of the others.
      for (std::size_t p = 0; p < size; ++p) {
        const double load = placed_.first[f].load(begin + p);
        for (std::size_t c = 0; c < P; ++c) spread[p * P + c] -= level[c] / scale * load;
      }
    }
    for (std::size_t p = 0; p < size; ++p) {
      const std::size_t r = begin + p;
      for (const Term& term : placed_.others) {
        const double load = placed_.weight(r) * term.load(r);
        for (std::size_t c = 0; c < P; ++c) sum[term.unknown(r) * P + c] += load * spread[p * P + c];
      }
    }
  }

  template <std::size_t P, class Inverse>
  void iterate(std::size_t first_column, const Inverse& preconditioner, std::size_t most) {
    const std::size_t m = unknowns, active = std::min(P, width_ - first_column);
    std::vector<double> x = zeros(m * P), r = zeros(m * P), z = zeros(m * P), direction = zeros(m * P), image = zeros(m * P);
    for (std::size_t u = 0; u < m; ++u)
      for (std::size_t c = 0; c < active; ++c) r[u * P + c] = right_[u * width_ + first_column + c];
    const std::vector<double> right = r;
    double rho[P] = {}, left[P] = {};
    auto dot = [m](const std::vector<double>& a, const std::vector<double>& b, double* out) {
      std::fill(out, out + P, 0.0);
      for (std::size_t u = 0; u < m; ++u)
        for (std::size_t c = 0; c < P; ++c) out[c] += a[u * P + c] * b[u * P + c];
    };
    // Relative residual by column: the group means left in the swept column, against it.
    auto measure = [&]() {
      double energy[P] = {}, mean[P] = {}, levels_size[P] = {};
      for (std::size_t u = 0; u < m; ++u)
        for (std::size_t c = 0; c < P; ++c) {
          energy[c] += x[u * P + c] * (right[u * P + c] + r[u * P + c]);
          levels_size[c] += gram_[u] * x[u * P + c] * x[u * P + c];
          if (gram_[u] > 0.0) mean[c] += r[u * P + c] * r[u * P + c] / gram_[u];
        }
      bool done = true;
      for (std::size_t c = 0; c < active; ++c) {
        const std::size_t column = first_column + c;
        left[c] = relative_residual(column, energy[c], mean[c]);
        if (left[c] > options_.tolerance && !at_rounding(column, mean[c], levels_size[c])) done = false;
      }
      return done;
    };
    bool done = measure();
    preconditioner.template apply<P>(r, z);
    direction = z;
    dot(r, z, rho);
    std::size_t step = 0;
    for (; !done && step < most; ++step) {
      if (options_.stop()) {
        stopped = true;
        return;
      }
      apply<P>(direction, image);
      double curvature[P], next[P];
      dot(direction, image, curvature);
      double alpha[P], beta[P];
      for (std::size_t c = 0; c < P; ++c) alpha[c] = curvature[c] > 0.0 ? rho[c] / curvature[c] : 0.0;
      for (std::size_t u = 0; u < m; ++u)
        for (std::size_t c = 0; c < P; ++c) {
          x[u * P + c] += alpha[c] * direction[u * P + c];
          r[u * P + c] -= alpha[c] * image[u * P + c];
        }
      done = measure();
      preconditioner.template apply<P>(r, z);
      dot(r, z, next);
      for (std::size_t c = 0; c < P; ++c) {
        beta[c] = rho[c] > 0.0 ? next[c] / rho[c] : 0.0;
        rho[c] = next[c];
      }
      for (std::size_t u = 0; u < m; ++u)
        for (std::size_t c = 0; c < P; ++c)
          direction[u * P + c] = z[u * P + c] + beta[c] * direction[u * P + c];
    }
    // What is reported is the residual itself, not the one carried along.
    apply<P>(x, image);
    for (std::size_t i = 0; i < r.size(); ++i) r[i] = right[i] - image[i];
    measure();
    for (std::size_t c = 0; c < active; ++c) achieved = std::max(achieved, left[c]);
    converged = converged && done;
    steps_ = std::max(steps_, step);
    for (std::size_t u = 0; u < m; ++u)
      for (std::size_t c = 0; c < active; ++c)
        solution_[u * width_ + first_column + c] = x[u * P + c];
  }

  void share() {
    shared.assign(width_ * width_, 0.0);
    for (std::size_t u = 0; u < unknowns; ++u)
      for (std::size_t a = 0; a < width_; ++a)
        for (std::size_t b = 0; b < width_; ++b)
          shared[a * width_ + b] += solution_[u * width_ + a] * right_[u * width_ + b];
    for (std::size_t a = 0; a < width_; ++a)
      for (std::size_t b = 0; b < a; ++b)
        shared[a * width_ + b] = shared[b * width_ + a] =
            (shared[a * width_ + b] + shared[b * width_ + a]) / 2.0;
  }

  // ---- levels --------------------------------------------------------------

  void substitute_back() {
    for (std::size_t t = 0; t < others_.size(); ++t)
      std::copy(solution_.begin() + others_[t].offset * width_,
                solution_.begin() + (others_[t].offset + others_[t].count) * width_,
                levels[first_.size() + t].begin());
    for_each_lane([&](std::size_t lane) {
      std::vector<double> sum(first_.size() * width_);
      for (std::size_t g = lane_[lane]; g < lane_[lane + 1]; ++g) {
        std::fill(sum.begin(), sum.end(), 0.0);
        for (std::size_t p = start_[g]; p < start_[g + 1]; ++p) {
          for (const Term& term : placed_.others) {
            const double* g2 = &solution_[term.unknown(p) * width_];
            const double load = placed_.weight(p) * term.load(p);
            for (std::size_t f = 0; f < first_.size(); ++f) {
              const double both = load * placed_.first[f].load(p);
              for (std::size_t c = 0; c < width_; ++c) sum[f * width_ + c] += both * g2[c];
            }
          }
        }
        for (std::size_t f = 0; f < first_.size(); ++f) {
          const double scale = first_gram_[f][g] + first_[f].ridge;
          if (scale == 0.0) continue;
          for (std::size_t c = 0; c < width_; ++c)
            levels[f][g * width_ + c] -= sum[f * width_ + c] / scale;
        }
      }
    });
  }

  // Levels of the columns themselves: a constant goes into the first levels that have ones
  // as their loading, or, where effects are shrunken, has the levels of the column of ones.
  void undo_centre(std::size_t ones) {
    for (std::size_t t = 0; t < levels.size(); ++t) {
      const Term& term = t < first_.size() ? first_[t] : others_[t - first_.size()];
      if (ones == not_stored && term.loading) continue;
      for (std::size_t at = 0; at < levels[t].size(); at += width_)
        for (std::size_t c = 0; c < width_; ++c)
          levels[t][at + c] += centre_[c] * (ones == not_stored ? 1.0 : levels[t][at + ones]);
      if (ones == not_stored) return;
    }
  }
};

}  // namespace wavetax
