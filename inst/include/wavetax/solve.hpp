// From a triangular factor to coefficients.
#pragma once

#include <Eigen/Dense>
#include <vector>

namespace wavetax {

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
      out.combination.col(j).head(rank) =
          factor.topLeftCorner(rank, rank)
              .template triangularView<Eigen::Upper>()
              .solve(work.col(j).head(rank));
      continue;
    }
    // Zero the column below its new diagonal; a no-op until a regressor was dropped.
    Eigen::VectorXd essential(work.rows() - rank - 1);
    double tau = 0.0, beta = 0.0;
    work.col(j).tail(work.rows() - rank).makeHouseholder(essential, tau, beta);
    Eigen::VectorXd scratch(work.cols());
    work.block(rank, j, work.rows() - rank, work.cols() - j)
        .applyHouseholderOnTheLeft(essential, tau, scratch.data());
    factor.col(rank).head(rank + 1) = work.col(j).head(rank + 1);
    ++rank;
  }
  const auto upper = factor.topLeftCorner(rank, rank);
  out.coefficients =
      upper.template triangularView<Eigen::Upper>().solve(work.col(k).head(rank));
  const Eigen::MatrixXd inverse = upper.template triangularView<Eigen::Upper>().solve(
      Eigen::MatrixXd::Identity(rank, rank));
  out.bread = inverse * inverse.transpose();
  out.combination.conservativeResize(rank, k);
  out.ssr = work.col(k).tail(work.rows() - rank).squaredNorm();
  return out;
}

}  // namespace wavetax
