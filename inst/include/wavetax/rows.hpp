// Rows of a regression, seen in place: nothing is copied from the caller.
#pragma once

#include <cmath>
#include <cstddef>
#include <vector>

namespace wavetax {

// Rows worked on together: small enough for a block to stay in the first cache.
constexpr std::size_t block_rows = 128;
// Rows that make one piece of parallel work.
constexpr std::size_t piece_rows = 65536;

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
// (pooled), anything between is the quasi-demeaning of random effects.
struct Sweep {
  const int* codes = nullptr;      // group of each row, from 1; null: nothing is swept
  const double* means = nullptr;   // groups x width, one group after another
  std::size_t width = 0;           // columns of `means`
  const double* theta = nullptr;   // by group; null: 1
  const double* shift = nullptr;   // by column; null: 0
  bool scale_by_weight = false;    // multiply the row by the root of its weight

  // Writes rows [begin, begin + count) into `block`, column by column,
  // `block_rows` doubles apart.
  void fill(const Rows& rows, std::size_t begin, std::size_t count, double* block) const {
    for (std::size_t c = 0; c < rows.width(); ++c) {
      double* out = block + c * block_rows;
      const double* in = rows.columns[c];
      const double add = shift ? shift[c] : 0.0;
      for (std::size_t r = 0; r < count; ++r) {
        double value = in ? in[begin + r] : 1.0;
        if (codes) {
          const std::size_t group = static_cast<std::size_t>(codes[begin + r]) - 1;
          const double mean = means[group * width + c];
          value -= theta ? theta[group] * mean : mean;
        }
        out[r] = value + add;
      }
      if (scale_by_weight && rows.weights)
        for (std::size_t r = 0; r < count; ++r) out[r] *= std::sqrt(rows.weights[begin + r]);
    }
  }
};

}  // namespace wavetax
