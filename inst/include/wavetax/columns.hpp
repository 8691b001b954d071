// Whole columns: laid out anew, or told apart by group.
#pragma once

#include <algorithm>
#include <cstddef>
#include <numeric>
#include <vector>

#include "parallel.hpp"

namespace wavetax {

// Columns of n values, one a period, to one vector entity by entity:
// out[i * periods + p] = columns[p][i]. A null column gives `none`.
template <class Value>
void interleave(const std::vector<const Value*>& columns, std::size_t n, Value none, Value* out,
                int threads) {
  constexpr std::size_t together = 16;  // rows whose output stays in the cache
  const std::size_t periods = columns.size(), piece_size = 4096;
  for_each_piece((n + piece_size - 1) / piece_size, threads, [&](std::size_t piece) {
    const std::size_t last = std::min(n, (piece + 1) * piece_size);
    for (std::size_t at = piece * piece_size; at < last; at += together) {
      const std::size_t stop = std::min(last, at + together);
      for (std::size_t p = 0; p < periods; ++p) {
        const Value* x = columns[p];
        for (std::size_t i = at; i < stop; ++i) out[i * periods + p] = x ? x[i] : none;
      }
    }
  });
}

// The lower median of x in every group; `none` for a group of fewer than `least` values.
inline Numbers group_medians(const double* x, const int* codes, std::size_t n, std::size_t groups,
                             std::size_t least, double none) {
  std::vector<std::size_t> start(groups + 1, 0);
  for (std::size_t i = 0; i < n; ++i) ++start[static_cast<std::size_t>(codes[i])];
  std::partial_sum(start.begin(), start.end(), start.begin());
  std::vector<std::size_t> next(start.begin(), start.end() - 1);
  Numbers values(n), out(groups, none);
  for (std::size_t i = 0; i < n; ++i) values[next[static_cast<std::size_t>(codes[i]) - 1]++] = x[i];
  for (std::size_t g = 0; g < groups; ++g) {
    const std::size_t size = start[g + 1] - start[g];
    if (size < least) continue;
    const auto first = values.begin() + start[g], middle = first + (size - 1) / 2;
    std::nth_element(first, middle, values.begin() + start[g + 1]);
    out[g] = *middle;
  }
  return out;
}

}  // namespace wavetax
