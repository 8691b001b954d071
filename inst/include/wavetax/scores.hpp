// After the coefficients: residuals of the transformed regression, and their
// products with the regressors summed by cluster.
#pragma once

#include <cstddef>
#include <vector>

#include "oneway.hpp"
#include "parallel.hpp"
#include "rows.hpp"
#include "triangle.hpp"

namespace wavetax {

// What a layer takes off the combination y - x'b: one number for each group.
struct OffsetLayer {
  const int* codes = nullptr;
  const double* offsets = nullptr;
  const double* loading = nullptr;  // by row; null: 1
};

// Residuals of the transformed regression: y - x'b less the constant and the layers. The
// outcome is the last column of `rows`. Columns are taken as deviations from `centre`, of which
// the constant is 0, so that a value far from zero costs no digits.
inline void residuals(const Rows& rows, const double* coefficients, const double* centre,
                      const std::vector<OffsetLayer>& layers, double* out, int threads) {
  const std::size_t k = rows.width() - 1;
  const std::size_t pieces = (rows.n + piece_rows - 1) / piece_rows;
  for_each_piece(pieces, threads, [&](std::size_t piece) {
    const std::size_t last = std::min(rows.n, (piece + 1) * piece_rows);
    for (std::size_t at = piece * piece_rows; at < last; at += block_rows) {
      const std::size_t count = std::min(block_rows, last - at);
      const double* y = rows.columns[k] + at;
      double* e = out + at;
      for (std::size_t r = 0; r < count; ++r) e[r] = y[r] - centre[k];
      for (std::size_t c = 0; c < k; ++c) {
        const double* x = rows.columns[c] + at;
        const double b = coefficients[c], from = centre[c];
        for (std::size_t r = 0; r < count; ++r) e[r] -= (x[r] - from) * b;
      }
      for (const OffsetLayer& layer : layers) {
        const int* code = layer.codes + at;
        if (layer.loading) {
          for (std::size_t r = 0; r < count; ++r)
            e[r] -= layer.offsets[code[r] - 1] * layer.loading[at + r];
        } else {
          for (std::size_t r = 0; r < count; ++r) e[r] -= layer.offsets[code[r] - 1];
        }
      }
    }
  });
}

// The levels of y - x'b by group, in deviations from `centre`. `levels` has the outcome last, and
// with `ones` those of a column of ones first: a constant's level is then `centre` times that.
inline std::vector<double> combined_levels(const double* levels, std::size_t groups,
                                           std::size_t width, const double* coefficients,
                                           const double* centre, bool ones) {
  const std::size_t first = ones ? 1 : 0, k = width - 1 - first;
  std::vector<double> out = zeros(groups);
  for (std::size_t g = 0; g < groups; ++g) {
    const double* level = levels + g * width;
    const double unit = ones ? level[0] : 1.0;
    double value = level[width - 1] - centre[k] * unit;
    for (std::size_t c = 0; c < k; ++c) value -= (level[first + c] - centre[c] * unit) * coefficients[c];
    out[g] = value;
  }
  return out;
}

// s_g = sum of w u e over the rows of cluster g, with u the row in the orthonormal coordinates of
// the regression whose upper factor is `r`: no digits are lost to columns far from zero or close
// to each other. `rows` holds regressors only; the result is clusters x width, one cluster after
// another. Sorted rows are cut between clusters.
inline std::vector<double> cluster_scores(const Rows& rows, const Sweep& sweep, const Eigen::MatrixXd& r,
                                          const double* e,
                                          const int* clusters, std::size_t count, bool sorted,
                                          int threads) {
  const std::size_t width = rows.width();
  auto add = [&](double* table, std::size_t begin, std::size_t end) {
    std::vector<double> block(block_rows * width);
    for (std::size_t at = begin; at < end; at += block_rows) {
      const std::size_t size = std::min(block_rows, end - at);
      const int* cluster = clusters + at;
      if (!sorted)
        for (std::size_t i = 0; i < size; ++i)
          __builtin_prefetch(table + static_cast<std::size_t>(cluster[i] - 1) * width, 1);
      sweep.fill(rows, at, size, block.data());
      to_orthonormal(r, block.data(), size);
      for (std::size_t c = 0; c < width; ++c) {
        const double* u = block.data() + c * block_rows;
        for (std::size_t i = 0; i < size; ++i)
          table[static_cast<std::size_t>(cluster[i] - 1) * width + c] += rows.weight(at + i) * u[i] * e[at + i];
      }
    }
  };
  if (!sorted) return sum_in_lanes(rows.n, count * width, threads, add);
  std::vector<double> out;
  allocate(out, count * width);
  const std::vector<std::size_t> cuts = group_cuts(clusters, rows.n);
  for_each_piece(cuts.size() - 1, threads,
                 [&](std::size_t piece) { add(out.data(), cuts[piece], cuts[piece + 1]); });
  return out;
}

// For f = x'b and y, both less their centres: sums of w f, w y and w by group, one group after
// another, and behind them the sums of w f f, w f y and w y y. The outcome is the last column.
inline std::vector<double> fitted_moments(const Rows& rows, const double* coefficients, const double* centre,
                                          const int* codes, std::size_t groups, int threads) {
  const std::size_t k = rows.width() - 1, size = 3 * groups;
  return sum_in_lanes(rows.n, size + 3, threads, [&](double* table, std::size_t begin, std::size_t end) {
    double f[block_rows];
    for (std::size_t at = begin; at < end; at += block_rows) {
      const std::size_t count = std::min(block_rows, end - at);
      std::fill(f, f + count, 0.0);
      for (std::size_t c = 0; c < k; ++c) {
        const double* x = rows.columns[c] + at;
        for (std::size_t i = 0; i < count; ++i) f[i] += (x[i] - centre[c]) * coefficients[c];
      }
      const double* y = rows.columns[k] + at;
      for (std::size_t i = 0; i < count; ++i)
        __builtin_prefetch(table + 3 * static_cast<std::size_t>(codes[at + i] - 1), 1);
      for (std::size_t i = 0; i < count; ++i) {
        const double w = rows.weight(at + i), left = y[i] - centre[k];
        double* sum = table + 3 * static_cast<std::size_t>(codes[at + i] - 1);
        sum[0] += w * f[i];
        sum[1] += w * left;
        sum[2] += w;
        table[size] += w * f[i] * f[i];
        table[size + 1] += w * f[i] * left;
        table[size + 2] += w * left * left;
      }
    }
  });
}

}  // namespace wavetax
