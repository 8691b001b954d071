// Cholesky factorisation with pivoting of a symmetric positive semi-definite matrix.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <numeric>
#include <vector>

namespace wavetax {

// P'AP = LL' with the largest remaining pivot first. It ends, with the rank, where every
// pivot left is below `tolerance` of its scale; those unknowns are solved as 0.
class PivotedCholesky {
 public:
  PivotedCholesky(std::vector<double> a, const std::vector<double>& scale, double tolerance)
      : l_(std::move(a)), m_(scale.size()), order_(m_) {
    std::iota(order_.begin(), order_.end(), std::size_t{0});
    for (rank_ = 0; rank_ < m_; ++rank_) {
      std::size_t best = m_;
      for (std::size_t i = rank_; i < m_; ++i)
        if (at(i, i) > tolerance * scale[order_[i]] && (best == m_ || at(i, i) > at(best, best))) best = i;
      if (best == m_) return;
      exchange(rank_, best);
      eliminate(rank_);
    }
  }

  std::size_t rank() const { return rank_; }

  double log_determinant() const {
    double sum = 0.0;
    for (std::size_t j = 0; j < rank_; ++j) sum += 2.0 * std::log(l_[j * m_ + j]);
    return sum;
  }

  // Replaces the right sides, m x width, by solutions.
  void solve(std::vector<double>& b, std::size_t width) const {
    std::vector<double> x(rank_ * width);
    for (std::size_t i = 0; i < rank_; ++i) {
      for (std::size_t c = 0; c < width; ++c) x[i * width + c] = b[order_[i] * width + c];
      for (std::size_t j = 0; j < i; ++j)
        for (std::size_t c = 0; c < width; ++c) x[i * width + c] -= l_[i * m_ + j] * x[j * width + c];
      for (std::size_t c = 0; c < width; ++c) x[i * width + c] /= l_[i * m_ + i];
    }
    for (std::size_t i = rank_; i-- > 0;) {
      for (std::size_t j = i + 1; j < rank_; ++j)
        for (std::size_t c = 0; c < width; ++c) x[i * width + c] -= l_[j * m_ + i] * x[j * width + c];
      for (std::size_t c = 0; c < width; ++c) x[i * width + c] /= l_[i * m_ + i];
    }
    std::fill(b.begin(), b.end(), 0.0);
    for (std::size_t i = 0; i < rank_; ++i)
      for (std::size_t c = 0; c < width; ++c) b[order_[i] * width + c] = x[i * width + c];
  }

  std::vector<double> inverse() const {
    std::vector<double> out(m_ * m_, 0.0);
    for (std::size_t i = 0; i < rank_; ++i) out[order_[i] * m_ + order_[i]] = 1.0;
    solve(out, m_);
    return out;
  }

 private:
  double& at(std::size_t i, std::size_t j) { return l_[i * m_ + j]; }

  // Rows and columns, of which the lower triangle is kept true.
  void exchange(std::size_t a, std::size_t b) {
    if (a == b) return;
    std::swap(order_[a], order_[b]);
    for (std::size_t j = 0; j < m_; ++j) std::swap(at(a, j), at(b, j));
    for (std::size_t i = 0; i < m_; ++i) std::swap(at(i, a), at(i, b));
  }

  void eliminate(std::size_t j) {
    const double root = std::sqrt(at(j, j));
    at(j, j) = root;
    for (std::size_t i = j + 1; i < m_; ++i) at(i, j) /= root;
    for (std::size_t i = j + 1; i < m_; ++i) {
      const double factor = at(i, j);
      for (std::size_t k = j + 1; k <= i; ++k) at(i, k) -= factor * at(k, j);
      for (std::size_t k = j + 1; k < i; ++k) at(k, i) = at(i, k);
    }
  }

  std::vector<double> l_;
  std::size_t m_;
  std::vector<std::size_t> order_;
  std::size_t rank_ = 0;
};

}  // namespace wavetax
