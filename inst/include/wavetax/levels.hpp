// Levels of several columns by group, put together by coefficients.
#pragma once

#include <cstddef>
#include <vector>

#include "parallel.hpp"
#include "rows.hpp"

namespace wavetax {

// sum over columns of combination_c (level_c - centre_c) by group: with (-b, 1) of [x, y] what a
// set of effects takes from y - x'b. Where the column of ones has levels of its own, `ones` is its
// place, and a column's centre is taken off times that level.
inline std::vector<double> combined_levels(const double* levels, std::size_t groups, std::size_t width,
                                           const double* combination, const double* centre, std::size_t ones) {
  std::vector<double> out = zeros(groups);
  for (std::size_t g = 0; g < groups; ++g) {
    const double* level = levels + g * width;
    const double unit = ones == not_stored ? 1.0 : level[ones];
    double value = 0.0;
    for (std::size_t c = width; c-- > 0;)
      if (combination[c] != 0.0) value += (level[c] - centre[c] * unit) * combination[c];
    out[g] = value;
  }
  return out;
}

}  // namespace wavetax
