// Rows of a regression, seen in place: nothing is copied from the caller.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

namespace wavetax {

// Rows worked on together: small enough for a block to stay in the first cache.
constexpr std::size_t block_rows = 128;
// Rows that make one piece of parallel work: its columns stay in the second cache.
constexpr std::size_t piece_rows = 16384;

struct Rows {
  std::size_t n = 0;
  // The regressors, then the outcome. A null pointer stands for a column of ones.
  std::vector<const double*> columns;
  // Analytic weights; a null pointer means that every row weighs one.
  const double* weights = nullptr;

  std::size_t width() const { return columns.size(); }
  double weight(std::size_t row) const { return weights ? weights[row] : 1.0; }
};

// What is taken from a row before it enters a regression:
//   z_it - theta_i * zbar_i + shift.
// theta 1 sweeps the effects out (fixed effects), theta 0 leaves the row as it is
// (pooled), anything between is the quasi-demeaning of random effects. The mean of
// the column of ones is 1 and is not stored.
struct Sweep {
  const int* codes = nullptr;      // group of each row, from 1; null: nothing is swept
  const double* means = nullptr;   // groups x width, one group after another
  std::size_t width = 0;           // stored means of a group
  std::vector<std::size_t> pick;   // which of them each column has; empty: in order
  const double* theta = nullptr;   // by group; null: 1
  const double* shift = nullptr;   // by column; null: 0
  bool scale_by_weight = false;    // multiply the row by the root of its weight

  // Writes rows [begin, begin + count) into `block`, column by column,
  // `block_rows` doubles apart.
  void fill(const Rows& rows, std::size_t begin, std::size_t count, double* block) const {
    for (std::size_t c = 0; c < rows.width(); ++c) {
      double* out = block + c * block_rows;
      const double* in = rows.columns[c];
      if (in) {
        fill_column(in + begin, begin, count, pick.empty() ? c : pick[c], out);
      } else {
        fill_ones(begin, count, out);
      }
      if (shift)
        for (std::size_t r = 0; r < count; ++r) out[r] += shift[c];
      if (scale_by_weight && rows.weights)
        for (std::size_t r = 0; r < count; ++r) out[r] *= std::sqrt(rows.weights[begin + r]);
    }
  }

 private:
  void fill_column(const double* in, std::size_t begin, std::size_t count, std::size_t column,
                   double* out) const {
    if (!codes) {
      std::copy(in, in + count, out);
      return;
    }
    const int* code = codes + begin;
    const double* mean = means + column;
    if (theta) {
      for (std::size_t r = 0; r < count; ++r) {
        const std::size_t group = static_cast<std::size_t>(code[r]) - 1;
        out[r] = in[r] - theta[group] * mean[group * width];
      }
    } else {
      for (std::size_t r = 0; r < count; ++r)
        out[r] = in[r] - mean[(static_cast<std::size_t>(code[r]) - 1) * width];
    }
  }

  void fill_ones(std::size_t begin, std::size_t count, double* out) const {
    for (std::size_t r = 0; r < count; ++r)
      out[r] = !codes ? 1.0 : theta ? 1.0 - theta[codes[begin + r] - 1] : 0.0;
  }
};

}  // namespace wavetax
