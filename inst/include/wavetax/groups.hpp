// Groups of rows: one type for entities, periods, effects and clusters.
#pragma once

#include <algorithm>
#include <cstddef>
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

}  // namespace wavetax
