// Correlations of the residuals of all pairs of entities over the periods that they share, summed up without a table of
// pairs: blocks of entities against blocks, cross-products by matrix products.
#pragma once

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include "parallel.hpp"

namespace wavetax {

// Over pairs with T >= 3 common periods, r their correlation:
struct PairSums {
  double pairs = 0, left_out = 0;  // those with fewer periods, or without variation in them
  double signs = 0;                // sum of sqrt(T - 1) r
  double sizes = 0;                // sum of |r|
  double excess = 0, spread = 0;   // sum of (T - 1) r^2 - 1, and of 2 (T - 2) / (T + 1)
  double squares = 0, shifted = 0; // sum of T r^2, and of T r^2 - 1
  double least = 1e300;            // the fewest periods of a pair
};

// `values` and `seen` are periods x entities, 0 where an entity is not seen; `seen` is 1 elsewhere.
inline PairSums pair_sums(const Eigen::Ref<const Eigen::MatrixXd>& values, const Eigen::Ref<const Eigen::MatrixXd>& seen,
                          int threads) {
  constexpr Eigen::Index size = 128;
  const Eigen::Index n = values.cols(), blocks = (n + size - 1) / size;
  const bool whole = seen.minCoeff() == 1.0;
  const double periods = static_cast<double>(values.rows());
  // Rows of blocks are the pieces, so that no sum depends on the threads.
  std::vector<PairSums> parts(static_cast<std::size_t>(blocks));
  Eigen::MatrixXd unit;
  if (whole) {
    unit = values.rowwise() - values.colwise().mean();
    for (Eigen::Index c = 0; c < n; ++c) {
      const double norm = unit.col(c).norm();
      if (norm > 0) unit.col(c) /= norm;
    }
  }
  for_each_piece(parts.size(), threads, [&](std::size_t piece) {
    PairSums& out = parts[piece];
    const Eigen::Index i0 = static_cast<Eigen::Index>(piece) * size, in = std::min(size, n - i0);
    Eigen::MatrixXd r, count, x, y, xx, yy;
    for (Eigen::Index j0 = i0; j0 < n; j0 += size) {
      const Eigen::Index jn = std::min(size, n - j0);
      if (whole) {
        r.noalias() = unit.middleCols(i0, in).transpose() * unit.middleCols(j0, jn);
      } else {
        const auto a = values.middleCols(i0, in), b = values.middleCols(j0, jn), p = seen.middleCols(i0, in),
                   q = seen.middleCols(j0, jn);
        count.noalias() = p.transpose() * q;
        x.noalias() = a.transpose() * q;
        y.noalias() = p.transpose() * b;
        xx.noalias() = a.cwiseAbs2().transpose() * q;
        yy.noalias() = p.transpose() * b.cwiseAbs2();
        r.noalias() = a.transpose() * b;
      }
      for (Eigen::Index j = 0; j < jn; ++j)
        for (Eigen::Index i = 0; i < std::min(in, j0 + j - i0); ++i) {
          const double T = whole ? periods : count(i, j);
          if (T < 3) {
            ++out.left_out;
            continue;
          }
          double rho = r(i, j);
          if (!whole) {
            const double vx = xx(i, j) - x(i, j) * x(i, j) / T, vy = yy(i, j) - y(i, j) * y(i, j) / T;
            if (vx <= 1e-14 * xx(i, j) || vy <= 1e-14 * yy(i, j)) {
              ++out.left_out;
              continue;
            }
            rho = (rho - x(i, j) * y(i, j) / T) / std::sqrt(vx * vy);
          }
          const double square = rho * rho;
          ++out.pairs;
          out.signs += std::sqrt(T - 1) * rho;
          out.sizes += std::fabs(rho);
          out.excess += (T - 1) * square - 1;
          out.spread += 2 * (T - 2) / (T + 1);
          out.squares += T * square;
          out.shifted += T * square - 1;
          out.least = std::min(out.least, T);
        }
    }
  });
  PairSums out;
  for (const PairSums& part : parts) {
    out.pairs += part.pairs;
    out.left_out += part.left_out;
    out.signs += part.signs;
    out.sizes += part.sizes;
    out.excess += part.excess;
    out.spread += part.spread;
    out.squares += part.squares;
    out.shifted += part.shifted;
    out.least = std::min(out.least, part.least);
  }
  return out;
}

}  // namespace wavetax
