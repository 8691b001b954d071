// One set of effects: group means and the factor of what varies within groups.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <numeric>
#include <vector>

#include "groups.hpp"
#include "parallel.hpp"
#include "rows.hpp"
#include "sinks.hpp"
#include "triangle.hpp"
#include "visit.hpp"

namespace wavetax {

// Sum of w (x - from).
inline double weighted_sum(const double* x, const double* w, std::size_t count, double from) {
  double sum = 0.0;
  if (w) {
    for (std::size_t r = 0; r < count; ++r) sum += w[r] * (x[r] - from);
    return sum;
  }
  // Several sums at a time, which do not wait for each other.
  std::array<double, 4> part{};
  std::size_t r = 0;
  for (; r + 3 < count; r += 4)
    for (std::size_t lane = 0; lane < 4; ++lane) part[lane] += x[r + lane] - from;
  for (; r < count; ++r) sum += x[r] - from;
  return sum + ((part[0] + part[1]) + (part[2] + part[3]));
}

// Sums of w x by column, added piece by piece in order.
inline Numbers weighted_sums(const Rows& rows, int threads) {
  const std::size_t pieces = (rows.n + piece_rows - 1) / piece_rows, width = rows.width();
  Numbers parts(pieces * width), out(width, 0.0);
  for_each_piece(pieces, threads, [&](std::size_t piece) {
    const std::size_t at = piece * piece_rows, count = std::min(piece_rows, rows.n - at);
    std::vector<double> room;
    for (std::size_t c = 0; c < width; ++c)
      parts[piece * width + c] =
          weighted_sum(rows.read(c, at, count, room), rows.weights ? rows.weights + at : nullptr, count, 0.0);
  });
  for (std::size_t i = 0; i < parts.size(); ++i) out[i % width] += parts[i];
  return out;
}

// A mean is taken in two rounds: the second adds the mean of the deviations from the
// first, exact to rounding also for long groups and for values far from zero.
struct OneWayState {
  std::size_t count = 0;       // of groups
  std::size_t width = 0;
  Numbers weight;              // by group: sum of weights, 0 where the group has no row
  Numbers means;               // count x width, one group after another
  Triangle within;             // factor of the rows less their group's mean

  OneWayState(std::size_t count_, std::size_t width_)
      : count(count_), width(width_), weight(zeros(count_)), means(zeros(count_ * width_)), within(width_) {}

  // Of the rows less `centre` by column, where there is one: the means then have digits of their
  // own size, not of the columns'.
  void average(const Rows& rows, const Groups& groups, int threads, const double* centre = nullptr) {
    if (!groups.sorted) return average_scattered(rows, groups, threads, centre);
    const std::vector<std::size_t> cuts = group_cuts(groups, rows.n, piece_rows);
    for_each_piece(cuts.size() - 1, threads, [&](std::size_t piece) {
      average_sorted(rows, groups.codes, cuts[piece], cuts[piece + 1], centre);
    });
  }

  // Means of the groups in rows [begin, end), which are sorted and hold whole groups.
  void average_sorted(const Rows& rows, const int* codes, std::size_t begin, std::size_t end,
                      const double* centre = nullptr) {
    std::vector<double> room;
    for (std::size_t at = begin; at < end;) {
      std::size_t stop = at + 1;
      while (stop < end && codes[stop] == codes[at]) ++stop;
      const std::size_t group = static_cast<std::size_t>(codes[at]) - 1, size = stop - at;
      const double* w = rows.weights ? rows.weights + at : nullptr;
      double total = static_cast<double>(size);
      if (w) total = std::accumulate(w, w + size, 0.0);
      weight[group] = total;
      for (std::size_t c = 0; c < width; ++c) {
        const double* x = rows.read(c, at, size, room);
        const double from = centre ? centre[c] : 0.0;
        double mean = weighted_sum(x, w, size, from) / total;
        if (w || size > short_group) {
          const double first = from + mean;
          mean = (first - from) + weighted_sum(x, w, size, first) / total;
        }
        means[group * width + c] = mean;
      }
      at = stop;
    }
  }

  // Means of the groups from rows in any order. The sums of a row's columns lie together, with its
  // weight behind them unless the sizes of the groups are known. The second round is for long groups: in
  // a short one rounding adds up to no more than that of the values themselves.
  static constexpr std::size_t short_group = 64;
  void average_scattered(const Rows& rows, const Groups& groups, int threads, const double* centre = nullptr) {
    const bool counted = !rows.weights && groups.sizes;
    const std::size_t stride = width + (counted ? 0 : 1);
    bool enough = false;
    for (int round = 0; round < 2 && !enough; ++round) {
      const Numbers sums =
          sum_in_lanes(rows.n, count * stride, threads, [&](double* table, std::size_t begin, std::size_t end) {
            with_width(width, [&](auto known) {
              add_scattered(known, rows, groups.codes, begin, end, round == 1, centre, stride, table);
            });
          });
      for_each_piece(lanes_of(count), threads, [&](std::size_t piece) {
        const std::size_t last = std::min(count, (piece + 1) * piece_rows);
        for (std::size_t group = piece * piece_rows; group < last; ++group) {
          const double* sum = &sums[group * stride];
          weight[group] = counted ? static_cast<double>(groups.sizes[group]) : sum[width];
          if (weight[group] > 0.0)
            for (std::size_t c = 0; c < width; ++c) means[group * width + c] += sum[c] / weight[group];
        }
      });
      enough = !rows.weights && *std::max_element(weight.begin(), weight.end()) <= static_cast<double>(short_group);
    }
  }

  Sweep sweep(const Groups& groups) const {
    Layer layer;
    layer.groups = groups;
    layer.levels = means.data();
    layer.width = width;
    Sweep out;
    out.layers = {layer};
    out.scale_by_weight = true;
    return out;
  }

  static std::size_t lanes_of(std::size_t count) { return (count + piece_rows - 1) / piece_rows; }

  // Adds rows [begin, end), in the second round less their groups' means, to the table; and their
  // weights where a group has a place for them.
  template <class Known>
  void add_scattered(Known, const Rows& rows, const int* codes, std::size_t begin, std::size_t end, bool less_means,
                     const double* centre, std::size_t stride, double* table) const {
    const std::size_t p = Known::of(width);
    std::vector<const double*> column(p);
    std::vector<double> room(p * block_rows);
    const double* mean = means.data();
    const Numbers origin(p, 0.0);
    const double* const from = centre ? centre : origin.data();
    const bool counts = stride > p;
    for (std::size_t r = begin; r < end; ++r) {
      const std::size_t i = (r - begin) % block_rows;
      if (i == 0)
        for (std::size_t c = 0; c < p; ++c) column[c] = rows.read(c, r, std::min(block_rows, end - r), &room[c * block_rows]);
      if (r + fetch_ahead < end) {
        const std::size_t next = static_cast<std::size_t>(codes[r + fetch_ahead]) - 1;
        __builtin_prefetch(table + next * stride, 1);
        if (less_means) __builtin_prefetch(mean + next * p, 0);
      }
      const std::size_t group = static_cast<std::size_t>(codes[r]) - 1;
      double* sum = table + group * stride;
      if (rows.weights) {
        const double w = rows.weights[r];
        for (std::size_t c = 0; c < p; ++c) sum[c] += w * (column[c][i] - from[c] - mean[group * p + c]);
        sum[p] += w;
        continue;
      }
      if (less_means) {
        for (std::size_t c = 0; c < p; ++c) sum[c] += column[c][i] - from[c] - mean[group * p + c];
      } else {
        for (std::size_t c = 0; c < p; ++c) sum[c] += column[c][i] - from[c];
      }
      if (counts) sum[p] += 1.0;
    }
  }

  // Joins the groups of another piece of the same data. A group seen in both adds
  // one row to the within factor: the difference of its two means, weighted by
  // w1 w2 / (w1 + w2) (Chan, Golub & LeVeque 1983).
  void merge(const OneWayState& other) {
    if (other.count > count) {
      count = other.count;
      weight.resize(count);
      means.resize(count * width);
    }
    within.merge(other.within);
    RowBuffer buffer(within);
    for (std::size_t g = 0; g < other.count; ++g) {
      const double mine = weight[g], theirs = other.weight[g];
      if (theirs == 0.0) continue;
      const double together = mine + theirs;
      double* mean = &means[g * width];
      const double* mean_other = &other.means[g * width];
      if (mine > 0.0) {
        const double root = std::sqrt(mine * theirs / together);
        buffer.push([&](std::size_t c) { return root * (mean[c] - mean_other[c]); });
      }
      for (std::size_t c = 0; c < width; ++c) mean[c] += theirs / together * (mean_other[c] - mean[c]);
      weight[g] = together;
    }
    buffer.flush();
  }
};

// Sorted rows are averaged and swept piece by piece, in one pass over memory.
inline OneWayState accumulate_one_way(const Rows& rows, const Groups& groups, int threads) {
  OneWayState state(groups.count, rows.width());
  const Sweep sweep = state.sweep(groups);
  if (!groups.sorted) {
    state.average(rows, groups, threads);
    state.within = accumulate_triangle(rows, sweep, threads);
    return state;
  }
  View view;
  view.rows = &rows;
  view.sweep = &sweep;
  const std::vector<std::size_t> cuts = group_cuts(groups, rows.n, piece_rows);
  std::vector<TriangleSink> parts(cuts.size() - 1, TriangleSink(rows.width()));
  for_each_piece(parts.size(), threads, [&](std::size_t piece) {
    state.average_sorted(rows, groups.codes, cuts[piece], cuts[piece + 1]);
    visit_rows(view, cuts[piece], cuts[piece + 1], parts[piece]);
    parts[piece].finish();
  });
  for (const TriangleSink& part : parts) state.within.merge(part.triangle);
  return state;
}

// Factor of `count` rows whose numbers are value(row, column).
template <class Value>
Triangle triangle_of(std::size_t count, std::size_t width, int threads, Value&& value) {
  const std::vector<std::size_t> cuts = even_cuts(count, piece_rows);
  std::vector<Triangle> parts(cuts.size() - 1, Triangle(width));
  for_each_piece(parts.size(), threads, [&](std::size_t piece) {
    Numbers block(block_rows * width);
    for (std::size_t at = cuts[piece]; at < cuts[piece + 1]; at += block_rows) {
      const std::size_t rows = std::min(block_rows, cuts[piece + 1] - at);
      for (std::size_t c = 0; c < width; ++c)
        for (std::size_t r = 0; r < rows; ++r) block[c * block_rows + r] = value(at + r, c);
      parts[piece].absorb(block.data(), rows);
    }
  });
  return merge_in_order(parts, width);
}

// Factor of one row a group: scale_g * [1, mean_g].
inline Triangle group_triangle(const double* means, std::size_t groups, std::size_t width,
                               const double* scale, int threads) {
  return triangle_of(groups, width + 1, threads, [=](std::size_t g, std::size_t c) {
    return c == 0 ? scale[g] : scale[g] * means[g * width + c - 1];
  });
}

// Factor of the rows of a table, times `scale`.
inline Triangle table_triangle(const double* table, std::size_t count, std::size_t width, double scale, int threads) {
  return triangle_of(count, width, threads,
                     [=](std::size_t g, std::size_t c) { return scale * table[g * width + c]; });
}

// The sum of s s' over `count` vectors s of `width` numbers, one after another.
inline Eigen::MatrixXd column_products(const double* values, std::size_t count, std::size_t width, int threads) {
  const std::vector<std::size_t> cuts = even_cuts(count, piece_rows);
  std::vector<Eigen::MatrixXd> parts(cuts.size() - 1, Eigen::MatrixXd::Zero(width, width));
  for_each_piece(parts.size(), threads, [&](std::size_t piece) {
    with_width(width, [&](auto known) {
      const std::size_t p = known.of(width);
      double* const sum = parts[piece].data();
      for (std::size_t g = cuts[piece]; g < cuts[piece + 1]; ++g)
        for (std::size_t a = 0; a < p; ++a)
          for (std::size_t b = a; b < p; ++b) sum[a * p + b] += values[g * p + a] * values[g * p + b];
    });
  });
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(width, width);
  for (const Eigen::MatrixXd& part : parts) out += part;
  return out.selfadjointView<Eigen::Lower>();
}

// Sum over groups of scale_g^2 q_g q_g', q_g the orthonormal coordinates of [1, mean_g] (those of
// its columns that `pick` names, 0 the constant) in the basis of the upper factor `r`.
inline Eigen::MatrixXd coordinate_gram(const double* means, std::size_t groups, std::size_t width,
                                       const std::vector<std::size_t>& pick, const double* centre,
                                       const Eigen::MatrixXd& r, const double* scale) {
  const std::size_t k = pick.size();
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(k, k);
  Numbers block(block_rows * k);
  for (std::size_t at = 0; at < groups; at += block_rows) {
    const std::size_t count = std::min(block_rows, groups - at);
    for (std::size_t c = 0; c < k; ++c)
      for (std::size_t g = 0; g < count; ++g)
        block[c * block_rows + g] = pick[c] == 0 ? 1.0 : means[(at + g) * width + pick[c] - 1] - centre[c];
    to_orthonormal(r, block.data(), count);
    for (std::size_t a = 0; a < k; ++a)
      for (std::size_t b = 0; b <= a; ++b) {
        double sum = 0.0;
        for (std::size_t g = 0; g < count; ++g)
          sum += scale[at + g] * scale[at + g] * block[a * block_rows + g] * block[b * block_rows + g];
        out(a, b) += sum;
      }
  }
  for (std::size_t a = 0; a < k; ++a)
    for (std::size_t b = 0; b < a; ++b) out(b, a) = out(a, b);
  return out;
}

// Of f, a combination of the columns, and y, the last of them, by group, means less `centre`: sums of
// size f f, f y, y y; then f, y, f f, f y and y y of each group once. Empty groups do not count.
inline Numbers mean_moments(const double* means, std::size_t groups, std::size_t width, const double* sizes,
                            const double* combination, const double* centre) {
  Numbers out(8, 0.0);
  for (std::size_t g = 0; g < groups; ++g) {
    if (sizes[g] == 0.0) continue;
    const double* mean = means + g * width;
    const double y = mean[width - 1] - centre[width - 1];
    double f = 0.0;
    for (std::size_t c = 0; c < width; ++c) f += (mean[c] - centre[c]) * combination[c];
    const double products[8] = {sizes[g] * f * f, sizes[g] * f * y, sizes[g] * y * y, f, y, f * f, f * y, y * y};
    for (std::size_t i = 0; i < 8; ++i) out[i] += products[i];
  }
  return out;
}

}  // namespace wavetax
