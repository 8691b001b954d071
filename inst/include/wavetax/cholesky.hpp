// Cholesky factorisation of a symmetric positive semi-definite matrix, in blocks.
#pragma once

#ifndef EIGEN_DONT_PARALLELIZE
#define EIGEN_DONT_PARALLELIZE
#endif
#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include "parallel.hpp"

namespace wavetax {

// A = LL'. An unknown whose pivot is not above `tolerance` of its scale is left out, and solved as
// 0: what is solved is then one of the solutions of a singular system.
//
// Of a graph's Laplacian one vertex a component is named instead, to be left out. Its links to the
// others are kept as their ground, and each pivot is the sum of its column and its ground: nothing
// is subtracted, so that a weak link beside strong ones keeps its digits (Grassmann, Taksar &
// Heyman 1985).
class Cholesky {
 public:
  Cholesky(Eigen::MatrixXd a, const Numbers& scale, const std::vector<char>& leave_out,
           double tolerance, int threads)
      : l_(std::move(a)), kept_(scale.size(), 1) {
    const Eigen::Index m = l_.rows();
    if (!leave_out.empty()) take_ground(leave_out);
    for (Eigen::Index begin = 0; begin < m; begin += panel) {
      const Eigen::Index end = std::min(m, begin + panel);
      for (Eigen::Index j = begin; j < end; ++j)
        eliminate(begin, j, tolerance * scale[j], !leave_out.empty() && leave_out[j]);
      update_beyond(begin, end, threads);
    }
    for (Eigen::Index j = 0; j < m; ++j) {
      if (kept_[j]) {
        ++rank_;
        continue;
      }
      l_.row(j).head(j).setZero();
      l_(j, j) = 1.0;
    }
  }

  std::size_t rank() const { return rank_; }

  double log_determinant() const {
    double sum = 0.0;
    for (Eigen::Index j = 0; j < l_.rows(); ++j)
      if (kept_[j]) sum += 2.0 * std::log(l_(j, j));
    return sum;
  }

  // Replaces the right sides, m x width with a row an unknown, by solutions.
  void solve(Numbers& b, std::size_t width) const {
    using ByRow = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
    Eigen::Map<ByRow> sides(b.data(), l_.rows(), static_cast<Eigen::Index>(width));
    Eigen::MatrixXd x = sides;
    for (Eigen::Index j = 0; j < l_.rows(); ++j)
      if (!kept_[j]) x.row(j).setZero();
    for (Eigen::Index c = 0; c < x.cols(); ++c) solve_one(x.col(c).data());
    sides = x;
  }

  // As a preconditioner of P columns at a time.
  template <std::size_t P>
  void apply(const Numbers& r, Numbers& z) const {
    z = r;
    solve(z, P);
  }

  // The inverse on the unknowns that are kept, 0 elsewhere.
  Numbers inverse() const {
    const std::size_t m = kept_.size();
    Numbers out;
    allocate(out, m * m);
    for (std::size_t i = 0; i < m; ++i) out[i * m + i] = kept_[i] ? 1.0 : 0.0;
    solve(out, m);
    return out;
  }

 private:
  static constexpr Eigen::Index panel = 64, strip = 128;

  void take_ground(const std::vector<char>& leave_out) {
    const Eigen::Index m = l_.rows();
    ground_ = Eigen::VectorXd::Zero(m);
    for (Eigen::Index r = 0; r < m; ++r) {
      if (!leave_out[r]) continue;
      ground_ -= l_.col(r);
      l_.col(r).setZero();
      l_.row(r).setZero();
    }
  }

  // Column j of L from its panel's earlier columns.
  void eliminate(Eigen::Index begin, Eigen::Index j, double smallest, bool leave_out) {
    const Eigen::Index below = l_.rows() - j;
    for (Eigen::Index c = begin; c < j; ++c) {
      const double factor = l_(j, c);
      if (factor != 0.0) l_.col(j).tail(below) -= factor * l_.col(c).tail(below);
    }
    if (ground_.size() > 0 && !leave_out) {
      l_(j, j) = ground_(j) - l_.col(j).tail(below - 1).sum();
      if (ground_(j) > 0.0) ground_.tail(below - 1) -= ground_(j) / l_(j, j) * l_.col(j).tail(below - 1);
    }
    if (leave_out || !(l_(j, j) > smallest)) {
      kept_[j] = 0;
      l_.col(j).tail(below).setZero();
      return;
    }
    l_.col(j).tail(below) /= std::sqrt(l_(j, j));
  }

  // The lower triangle beyond a panel, strip by strip of columns.
  void update_beyond(Eigen::Index begin, Eigen::Index end, int threads) {
    const Eigen::Index m = l_.rows();
    const std::size_t strips = static_cast<std::size_t>((m - end + strip - 1) / strip);
    for_each_piece(strips, threads, [&](std::size_t s) {
      const Eigen::Index from = end + static_cast<Eigen::Index>(s) * strip, width = std::min(strip, m - from);
      l_.block(from, from, m - from, width).noalias() -=
          l_.block(from, begin, m - from, end - begin) * l_.block(from, begin, width, end - begin).transpose();
    });
  }

  void solve_one(double* x) const {
    const Eigen::Index m = l_.rows();
    Eigen::Map<Eigen::VectorXd> v(x, m);
    for (Eigen::Index j = 0; j < m; ++j) {
      v(j) /= l_(j, j);
      if (v(j) != 0.0) v.tail(m - j - 1) -= v(j) * l_.col(j).tail(m - j - 1);
    }
    for (Eigen::Index j = m; j-- > 0;)
      v(j) = (v(j) - l_.col(j).tail(m - j - 1).dot(v.tail(m - j - 1))) / l_(j, j);
  }

  Eigen::MatrixXd l_;
  Eigen::VectorXd ground_;
  std::vector<char> kept_;
  std::size_t rank_ = 0;
};

}  // namespace wavetax
