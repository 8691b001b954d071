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

// Where to cut rows that are sorted by group into pieces that hold whole groups.
inline std::vector<std::size_t> group_cuts(const Groups& groups, std::size_t n, std::size_t size) {
  std::vector<std::size_t> cuts{0};
  const int* codes = groups.codes;
  while (cuts.back() < n) {
    std::size_t cut = std::min(n, cuts.back() + size);
    if (cut < n) cut = static_cast<std::size_t>(std::upper_bound(codes + cut, codes + n, codes[cut - 1]) - codes);
    cuts.push_back(cut);
  }
  return cuts;
}

}  // namespace wavetax
