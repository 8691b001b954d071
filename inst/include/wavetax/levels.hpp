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
inline Numbers combined_levels(const double* levels, std::size_t groups, std::size_t width,
                               const double* combination, const double* centre, std::size_t ones, int threads) {
  Numbers out = zeros(groups);
  const std::vector<std::size_t> cuts = even_cuts(groups, piece_rows);
  for_each_piece(cuts.size() - 1, threads, [&](std::size_t piece) {
    for (std::size_t g = cuts[piece]; g < cuts[piece + 1]; ++g) {
      const double* level = levels + g * width;
      const double unit = ones == not_stored ? 1.0 : level[ones];
      double value = 0.0;
      for (std::size_t c = width; c-- > 0;)
        if (combination[c] != 0.0) value += (level[c] - centre[c] * unit) * combination[c];
      out[g] = value;
    }
  });
  return out;
}

// By column the sum over groups of weight times level, added piece by piece in order.
inline Numbers weighted_level_sums(const double* levels, const double* weights, std::size_t groups,
                                               std::size_t width, int threads) {
  const std::vector<std::size_t> cuts = even_cuts(groups, piece_rows);
  std::vector<Numbers> parts(cuts.size() - 1, Numbers(width, 0.0));
  for_each_piece(parts.size(), threads, [&](std::size_t piece) {
    for (std::size_t g = cuts[piece]; g < cuts[piece + 1]; ++g)
      for (std::size_t c = 0; c < width; ++c) parts[piece][c] += weights[g] * levels[g * width + c];
  });
  Numbers out(width, 0.0);
  for (const Numbers& part : parts)
    for (std::size_t c = 0; c < width; ++c) out[c] += part[c];
  return out;
}

}  // namespace wavetax
