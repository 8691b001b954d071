// Groups of rows: one type for entities, periods, effects and clusters.
#pragma once

#include <algorithm>
#include <cstddef>
#include <limits>
#include <numeric>
#include <stdexcept>
#include <vector>

#include "parallel.hpp"

namespace wavetax {

struct Groups {
  const int* codes = nullptr;  // group of each row, from 1
  std::size_t count = 0;       // how many groups there are
  bool sorted = false;         // whether the codes never fall: asked once, by the one who makes it
  const int* sizes = nullptr;  // rows of each group, where they are known

  std::size_t of(std::size_t row) const { return static_cast<std::size_t>(codes[row]) - 1; }
};

// Levels of several sets are numbered through by int, and doubled where each is two vertices of a graph.
inline void check_countable(std::size_t levels) {
  if (levels > static_cast<std::size_t>(std::numeric_limits<int>::max()) / 2 - 1)
    throw std::length_error("There are more levels of effects than can be numbered.");
}

inline bool is_sorted(const int* codes, std::size_t n) { return std::is_sorted(codes, codes + n); }

// Rows [0, n) cut into pieces of `size`: where each begins, and n.
inline std::vector<std::size_t> even_cuts(std::size_t n, std::size_t size) {
  std::vector<std::size_t> cuts;
  for (std::size_t at = 0; at < n; at += size) cuts.push_back(at);
  cuts.push_back(n);
  return cuts;
}

// Where the group that holds the row before `row` ends, of rows sorted by group up to `end`.
inline std::size_t end_of_group(const Groups& groups, std::size_t row, std::size_t end) {
  if (row >= end) return end;
  const int* const codes = groups.codes;
  return static_cast<std::size_t>(std::upper_bound(codes + row, codes + end, codes[row - 1]) - codes);
}

// Where to cut rows that are sorted by group into pieces that hold whole groups.
inline std::vector<std::size_t> group_cuts(const Groups& groups, std::size_t n, std::size_t size) {
  std::vector<std::size_t> cuts{0};
  while (cuts.back() < n) cuts.push_back(end_of_group(groups, cuts.back() + size, n));
  return cuts;
}

// Where each group begins when its rows stand one group after another, and n.
inline std::vector<std::size_t> group_starts(const Groups& groups, std::size_t n) {
  std::vector<std::size_t> start(groups.count + 1, 0);
  if (groups.sizes)
    for (std::size_t g = 0; g < groups.count; ++g) start[g + 1] = static_cast<std::size_t>(groups.sizes[g]);
  else
    for (std::size_t i = 0; i < n; ++i) ++start[groups.of(i) + 1];
  std::partial_sum(start.begin(), start.end(), start.begin());
  return start;
}

// Rows of each group, one group after another: at(start[g]) is the first of group g.
class RowsByGroup {
 public:
  RowsByGroup(const Groups& groups, std::size_t n) : start(group_starts(groups, n)) {
    if (groups.sorted) return;
    allocate(place_, n);
    std::vector<std::size_t> next(start.begin(), start.end() - 1);
    for (std::size_t i = 0; i < n; ++i) place_[next[groups.of(i)]++] = i;
  }

  std::size_t at(std::size_t place) const { return place_.empty() ? place : place_[place]; }

  std::vector<std::size_t> start;

 private:
  std::vector<std::size_t> place_;
};

}  // namespace wavetax
