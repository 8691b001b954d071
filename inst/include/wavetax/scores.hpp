// After the coefficients: residuals of the transformed regression, and their
// products with the regressors summed by cluster.
#pragma once

#include <cstddef>
#include <vector>

#include "oneway.hpp"
#include "parallel.hpp"
#include "rows.hpp"

namespace wavetax {

// e = y - x'b of the swept rows; the outcome is the last column of `rows`.
inline void residuals(const Rows& rows, const Sweep& sweep, const double* coefficients,
                      double* out, int threads) {
  const std::size_t k = rows.width() - 1;
  const std::size_t pieces = (rows.n + piece_rows - 1) / piece_rows;
  for_each_piece(pieces, threads, [&](std::size_t piece) {
    std::vector<double> block(block_rows * rows.width());
    const std::size_t last = std::min(rows.n, (piece + 1) * piece_rows);
    for (std::size_t at = piece * piece_rows; at < last; at += block_rows) {
      const std::size_t count = std::min(block_rows, last - at);
      sweep.fill(rows, at, count, block.data());
      double* e = block.data() + k * block_rows;
      for (std::size_t c = 0; c < k; ++c) {
        const double* x = block.data() + c * block_rows;
        for (std::size_t r = 0; r < count; ++r) e[r] -= x[r] * coefficients[c];
      }
      std::copy(e, e + count, out + at);
    }
  });
}

// s_g = sum of w x e over the rows of cluster g. `rows` holds regressors only;
// `out` is clusters x width, one cluster after another, and starts at zero.
inline void cluster_scores(const Rows& rows, const Sweep& sweep, const double* e,
                           const int* clusters, std::size_t count_clusters, bool sorted,
                           double* out, int threads) {
  const std::size_t width = rows.width();
  for_each_group_range(
      clusters, rows.n, count_clusters, sorted, threads,
      [&](std::size_t first, std::size_t last, std::size_t begin, std::size_t end) {
        std::vector<double> block(block_rows * width);
        const std::size_t size = last - first;
        for (std::size_t at = begin; at < end; at += block_rows) {
          const std::size_t count = std::min(block_rows, end - at);
          sweep.fill(rows, at, count, block.data());
          for (std::size_t c = 0; c < width; ++c) {
            const double* x = block.data() + c * block_rows;
            for (std::size_t r = 0; r < count; ++r) {
              const std::size_t cluster = static_cast<std::size_t>(clusters[at + r]) - 1 - first;
              if (cluster < size)
                out[(first + cluster) * width + c] += rows.weight(at + r) * x[r] * e[at + r];
            }
          }
        }
      });
}

}  // namespace wavetax
