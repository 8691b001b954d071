// From a triangular factor to coefficients.
#pragma once

#include <Eigen/Core>
#include <vector>

namespace wavetax {

// x with U x = b, U the leading rank x rank upper triangle; b is replaced. Written out:
// Eigen's general kernels take long to compile and gain nothing at this size.
inline void solve_upper(const Eigen::MatrixXd& upper, Eigen::Index rank, double* b) {
  for (Eigen::Index j = rank - 1; j >= 0; --j) {
    b[j] /= upper(j, j);
    for (Eigen::Index i = 0; i < j; ++i) b[i] -= b[j] * upper(i, j);
  }
}

enum class Kept { yes = 0, no_variation = 1, combination = 2 };

struct Solution {
  std::vector<Kept> kept;          // one a regressor
  Eigen::VectorXd coefficients;    // of the kept regressors, in order
  Eigen::MatrixXd bread;           // (X'X)^-1 of the kept regressors
  Eigen::MatrixXd combination;     // kept x all: how a dropped regressor is made of kept ones
  double ssr = 0.0;                // residual sum of squares
};

// The last column of `r` is the outcome. A regressor goes when what the kept ones
// before it leave unexplained is below `tolerance` of its norm; and it never
// varied when its norm is below `tolerance` of `own_norm`, the norm it had before
// effects were swept out (empty: nothing was swept out).
inline Solution solve_triangle(const Eigen::MatrixXd& r, const Eigen::VectorXd& own_norm,
                               double tolerance) {
  const Eigen::Index k = r.cols() - 1;
  Eigen::MatrixXd work = r;
  Eigen::MatrixXd factor = Eigen::MatrixXd::Zero(k, k);
  Solution out;
  out.kept.assign(static_cast<std::size_t>(k), Kept::yes);
  out.combination = Eigen::MatrixXd::Zero(k, k);
  Eigen::Index rank = 0;
  for (Eigen::Index j = 0; j < k; ++j) {
    const double norm = work.col(j).norm();
    const double tail = work.col(j).tail(work.rows() - rank).norm();
    const double before = own_norm.size() > 0 ? own_norm(j) : norm;
    if (norm <= tolerance * before) {
      out.kept[j] = Kept::no_variation;
      continue;
    }
    if (tail <= tolerance * norm) {
      out.kept[j] = Kept::combination;
      out.combination.col(j).head(rank) = work.col(j).head(rank);
      solve_upper(factor, rank, &out.combination(0, j));
      continue;
    }
    // Zero the column below its new diagonal; nothing to do until a regressor was dropped.
    const Eigen::Index rows = work.rows() - rank;
    Eigen::VectorXd v = work.col(j).tail(rows);
    const double beta = v(0) > 0.0 ? -tail : tail;
    if (v.tail(rows - 1).squaredNorm() > 0.0) {
      v(0) -= beta;
      for (Eigen::Index l = j; l <= k; ++l)
        work.col(l).tail(rows) += v.dot(work.col(l).tail(rows)) / (beta * v(0)) * v;
    }
    factor.col(rank).head(rank + 1) = work.col(j).head(rank + 1);
    ++rank;
  }
  out.coefficients = work.col(k).head(rank);
  solve_upper(factor, rank, out.coefficients.data());
  Eigen::MatrixXd inverse = Eigen::MatrixXd::Identity(rank, rank);
  for (Eigen::Index j = 0; j < rank; ++j) solve_upper(factor, rank, &inverse(0, j));
  out.bread = inverse.lazyProduct(inverse.transpose());
  out.combination.conservativeResize(rank, k);
  out.ssr = work.col(k).tail(work.rows() - rank).squaredNorm();
  return out;
}

}  // namespace wavetax
