// From a triangular factor to coefficients.
#pragma once

#include <Eigen/Core>
#include <cmath>
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
  Eigen::MatrixXd coefficients;    // of the kept regressors, in order: a column an outcome
  Eigen::MatrixXd factor;          // R of the kept regressors, X'X = R'R
  Eigen::MatrixXd root;            // R^-1: (X'X)^-1 is its product with its own transpose
  Eigen::MatrixXd combination;     // kept x all: how a dropped regressor is made of kept ones
  Numbers ssr;         // residual sum of squares of each outcome
};

// The first k columns of `r` are regressors, the others outcomes. A regressor goes when what the kept ones
// before it leave unexplained is below `tolerance` of its norm; and it never
// varied when its norm is below `tolerance` of `own_norm`, the norm it had before
// effects were swept out (empty: nothing was swept out).
inline Solution solve_triangle(const Eigen::MatrixXd& r, Eigen::Index k, const Eigen::VectorXd& own_norm,
                               double tolerance) {
  const Eigen::Index rows = r.rows(), outcomes = r.cols() - k;
  Eigen::MatrixXd work = r;
  Eigen::MatrixXd factor = Eigen::MatrixXd::Zero(k, k);
  // Norm of a column of `work` from row `from` on, and the product of two.
  auto dot = [&](Eigen::Index a, Eigen::Index b, Eigen::Index from) {
    double sum = 0.0;
    for (Eigen::Index i = from; i < rows; ++i) sum += work(i, a) * work(i, b);
    return sum;
  };
  Solution out;
  out.kept.assign(static_cast<std::size_t>(k), Kept::yes);
  Eigen::MatrixXd combination = Eigen::MatrixXd::Zero(k, k);
  Eigen::Index rank = 0;
  for (Eigen::Index j = 0; j < k; ++j) {
    const double norm = std::sqrt(dot(j, j, 0)), tail = std::sqrt(dot(j, j, rank));
    const double before = own_norm.size() > 0 ? own_norm(j) : norm;
    if (norm <= tolerance * before) {
      out.kept[j] = Kept::no_variation;
      continue;
    }
    if (tail <= tolerance * norm) {
      out.kept[j] = Kept::combination;
      for (Eigen::Index i = 0; i < rank; ++i) combination(i, j) = work(i, j);
      solve_upper(factor, rank, &combination(0, j));
      continue;
    }
    // Zero the column below its new diagonal; nothing to do until a regressor was dropped.
    if (dot(j, j, rank + 1) > 0.0) {
      const double beta = work(rank, j) > 0.0 ? -tail : tail;
      work(rank, j) -= beta;
      for (Eigen::Index l = j + 1; l < r.cols(); ++l) {
        const double s = dot(j, l, rank) / (beta * work(rank, j));
        for (Eigen::Index i = rank; i < rows; ++i) work(i, l) += s * work(i, j);
      }
      work(rank, j) = beta;
      for (Eigen::Index i = rank + 1; i < rows; ++i) work(i, j) = 0.0;
    }
    for (Eigen::Index i = 0; i <= rank; ++i) factor(i, rank) = work(i, j);
    ++rank;
  }
  out.coefficients.resize(rank, outcomes);
  for (Eigen::Index q = 0; q < outcomes; ++q) {
    out.ssr.push_back(dot(k + q, k + q, rank));
    for (Eigen::Index i = 0; i < rank; ++i) out.coefficients(i, q) = work(i, k + q);
    if (rank > 0) solve_upper(factor, rank, &out.coefficients(0, q));
  }
  out.factor = factor.topLeftCorner(rank, rank);
  out.root = Eigen::MatrixXd::Identity(rank, rank);
  for (Eigen::Index j = 0; j < rank; ++j) solve_upper(factor, j + 1, &out.root(0, j));
  out.combination = Eigen::MatrixXd::Zero(rank, k);
  for (Eigen::Index j = 0; j < k; ++j)
    for (Eigen::Index i = 0; i < rank; ++i) out.combination(i, j) = combination(i, j);
  return out;
}

}  // namespace wavetax
