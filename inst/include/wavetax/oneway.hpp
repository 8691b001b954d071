// One set of effects: group means and the factor of what varies within groups.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include "parallel.hpp"
#include "rows.hpp"
#include "triangle.hpp"

namespace wavetax {

inline bool is_sorted(const int* codes, std::size_t n) {
  return std::is_sorted(codes, codes + n);
}

// Calls body(first_group, last_group, begin, end) so that the group ranges
// [first, last) cover all groups once, and rows [begin, end) hold every row of
// them. When rows are not sorted by group the row range is all rows and the body
// skips codes outside its groups. Sums by group then add rows in their order,
// whatever the number of threads.
template <class Body>
void for_each_group_range(const int* codes, std::size_t n, std::size_t groups, bool sorted,
                          int threads, Body&& body) {
  if (!sorted) {
    const std::size_t pieces = static_cast<std::size_t>(std::max(1, threads));
    for_each_piece(pieces, threads, [&](std::size_t piece) {
      body(groups * piece / pieces, groups * (piece + 1) / pieces, std::size_t{0}, n);
    });
    return;
  }
  std::vector<std::size_t> cuts{0};
  while (cuts.back() < n) {
    std::size_t cut = std::min(n, cuts.back() + piece_rows);
    if (cut < n) cut = std::upper_bound(codes + cut, codes + n, codes[cut - 1]) - codes;
    cuts.push_back(cut);
  }
  for_each_piece(cuts.size() - 1, threads, [&](std::size_t piece) {
    const std::size_t begin = cuts[piece], end = cuts[piece + 1];
    body(static_cast<std::size_t>(codes[begin]) - 1, static_cast<std::size_t>(codes[end - 1]),
         begin, end);
  });
}

struct OneWayState {
  std::size_t groups = 0;
  std::size_t width = 0;
  std::vector<double> weight;  // by group: sum of weights, 0 where the group has no row
  std::vector<double> means;   // groups x width, one group after another
  Triangle within;             // factor of the rows less their group's mean

  OneWayState(std::size_t groups_, std::size_t width_)
      : groups(groups_), width(width_), weight(groups_), means(groups_ * width_), within(width_) {}

  // Means of the groups [first, last) from rows [begin, end). The second round adds
  // the mean of the deviations from the first: exact to rounding also for long
  // groups and for values far from zero.
  void average(const Rows& rows, const int* codes, std::size_t first, std::size_t last,
               std::size_t begin, std::size_t end) {
    const std::size_t size = last - first;
    std::vector<double> sums(size * width);
    for (int round = 0; round < 2; ++round) {
      std::fill(sums.begin(), sums.end(), 0.0);
      for (std::size_t at = begin; at < end; at += block_rows) {
        const std::size_t stop = std::min(end, at + block_rows);
        for (std::size_t c = 0; c < width; ++c) {
          const double* in = rows.columns[c];
          for (std::size_t r = at; r < stop; ++r) {
            const std::size_t group = static_cast<std::size_t>(codes[r]) - 1 - first;
            if (group >= size) continue;
            const double value = in ? in[r] : 1.0;
            sums[group * width + c] +=
                rows.weight(r) * (value - means[(first + group) * width + c]);
          }
        }
        if (round == 0)
          for (std::size_t r = at; r < stop; ++r) {
            const std::size_t group = static_cast<std::size_t>(codes[r]) - 1 - first;
            if (group < size) weight[first + group] += rows.weight(r);
          }
      }
      for (std::size_t group = 0; group < size; ++group)
        if (weight[first + group] > 0.0)
          for (std::size_t c = 0; c < width; ++c)
            means[(first + group) * width + c] += sums[group * width + c] / weight[first + group];
    }
  }

  Sweep sweep(const int* codes) const {
    Sweep out;
    out.codes = codes;
    out.means = means.data();
    out.width = width;
    out.scale_by_weight = true;
    return out;
  }

  // Joins the groups of another piece of the same data. A group seen in both adds
  // one row to the within factor: the difference of its two means, weighted by
  // w1 w2 / (w1 + w2) (Chan, Golub & LeVeque 1983).
  void merge(const OneWayState& other) {
    if (other.groups > groups) {
      groups = other.groups;
      weight.resize(groups);
      means.resize(groups * width);
    }
    within.merge(other.within);
    RowBuffer buffer(within);
    for (std::size_t g = 0; g < other.groups; ++g) {
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

// codes run from 1 to groups.
inline OneWayState accumulate_one_way(const Rows& rows, const int* codes, std::size_t groups,
                                      bool sorted, int threads) {
  OneWayState state(groups, rows.width());
  for_each_group_range(codes, rows.n, groups, sorted, threads,
                       [&](std::size_t first, std::size_t last, std::size_t begin,
                           std::size_t end) { state.average(rows, codes, first, last, begin, end); });
  state.within = accumulate_triangle(rows, state.sweep(codes), threads);
  return state;
}

// Factor of one row a group: scale_g * [1, mean_g], or without the leading one.
inline Triangle group_triangle(const double* means, std::size_t groups, std::size_t width,
                               const double* scale, bool constant) {
  const std::size_t lead = constant ? 1 : 0;
  Triangle out(width + lead);
  RowBuffer buffer(out);
  for (std::size_t g = 0; g < groups; ++g) {
    if (scale[g] == 0.0) continue;
    buffer.push([&](std::size_t c) {
      return scale[g] * (c < lead ? 1.0 : means[g * width + c - lead]);
    });
  }
  buffer.flush();
  return out;
}

}  // namespace wavetax
