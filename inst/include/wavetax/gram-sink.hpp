// Cross-products by cluster on one walk, N_g = sum of w v v' over the rows of cluster g, v = [u, e]: the orthonormal
// coordinates past the first `skip`, and the combination. They are handed on cluster by cluster, to
//   use(const double* gram, std::size_t g)   p x p, its upper triangle filled
// Sorted clusters as their rows pass, so that no table is kept; others from a table, in end().
#pragma once

#include <Eigen/Core>
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <limits>
#include <utility>
#include <vector>

#include "error-sinks.hpp"
#include "groups.hpp"
#include "triangle.hpp"
#include "visit.hpp"

namespace wavetax {

template <class Use>
class GramSink {
 public:
  GramSink(const Groups& clusters, const Eigen::MatrixXd& upper, std::size_t skip, Use use, double quick = -1.0)
      : by_(clusters), upper_(&upper), skip_(skip), p_(static_cast<std::size_t>(upper.cols()) - skip + 1),
        use_(std::move(use)), quick_(quick) {}

  std::vector<std::size_t> cuts(std::size_t n) const {
    if (by_.sorted) return group_cuts(by_, n, 4 * piece_rows);
    return even_cuts(n, std::max<std::size_t>(n < 50000 ? n : (n + 1) / 2, 1));
  }
  GramSink part() const { return GramSink(by_, *upper_, skip_, use_, quick_); }

  void add(Block& block) {
    idle_ += idle_rows(block, quick_);
    to_orthonormal(*upper_, block.values, block.count);
    std::vector<const double*>& columns = columns_;
    columns.clear();
    for (std::size_t c = 0; c + 1 < p_; ++c) columns.push_back(block.column(skip_ + c));
    columns.push_back(block.combined);
    weighted_.resize(block.weights ? p_ * block_rows : 0);
    std::vector<const double*>& times = times_;
    times = columns;
    for (std::size_t c = 0; block.weights && c < p_; ++c) {
      double* const to = weighted_.data() + c * block_rows;
      for (std::size_t i = 0; i < block.count; ++i) to[i] = columns[c][i] * block.weights[i];
      times[c] = to;
    }
    if (by_.sorted) {
      for_each_run(block, by_.codes, [&](std::size_t at, std::size_t stop) {
        open(by_.codes[block.begin + at]);
        for (std::size_t b = 0; b < p_; ++b)
          for (std::size_t a = 0; a <= b; ++a) gram_[b * p_ + a] += run_product(columns[a], times[b], at, stop);
      });
      return;
    }
    const std::size_t size = p_ * p_;
    if (table_.empty()) allocate(table_, by_.count * size);
    std::array<std::size_t, block_rows> place;
    for (std::size_t i = 0; i < block.count; ++i) place[i] = by_.of(block.begin + i) * size;
    for (std::size_t b = 0; b < p_; ++b)
      for (std::size_t a = 0; a <= b; ++a) {
        double* const to = table_.data() + b * p_ + a;
        for (std::size_t i = 0; i < block.count; ++i) to[place[i]] += columns[a][i] * times[b][i];
      }
  }
  void merge(const GramSink& other) {
    idle_ += other.idle_;
    if (table_.empty()) table_ = other.table_;
    else
      for (std::size_t i = 0; i < other.table_.size(); ++i) table_[i] += other.table_[i];
  }
  void finish() { close(); }
  void end() {
    if (by_.sorted) return;
    if (table_.empty()) allocate(table_, by_.count * p_ * p_);
    for (std::size_t g = 0; g < by_.count; ++g) use_(table_.data() + g * p_ * p_, g);
  }
  std::size_t idle() const { return idle_; }

 private:
  void open(int code) {
    if (code == code_) return;
    close();
    code_ = code;
    gram_.assign(p_ * p_, 0.0);
  }
  void close() {
    if (code_ > 0) use_(gram_.data(), static_cast<std::size_t>(code_) - 1);
    code_ = 0;
  }

  Groups by_;
  const Eigen::MatrixXd* upper_;
  std::size_t skip_, p_;
  Use use_;
  double quick_;
  std::size_t idle_ = 0;
  Numbers gram_, table_, weighted_;
  std::vector<const double*> columns_, times_;
  int code_ = 0;
};

// pick'(I - Q'N_g Q)^-1 Q' N_g c of regressors Q in z and the residual c of [z, e]; NaN where that has no inverse.
class AdjustedOf {
 public:
  AdjustedOf(const Eigen::MatrixXd& q, const Eigen::VectorXd& residual, const Eigen::MatrixXd& pick)
      : q_(&q), residual_(&residual), pick_(&pick), whole_(residual.size(), residual.size()),
        along_(residual.size() - 1, q.cols()), inner_(q.cols(), q.cols()), x_(q.cols()) {}

  double* out = nullptr;

  void operator()(const double* gram, std::size_t g) {
    const Eigen::Index p = residual_->size(), z = p - 1, k = q_->cols();
    for (Eigen::Index b = 0; b < p; ++b)
      for (Eigen::Index a = 0; a <= b; ++a) whole_(a, b) = whole_(b, a) = gram[b * p + a];
    for (Eigen::Index j = 0; j < k; ++j) {
      along_.col(j).setZero();
      for (Eigen::Index a = 0; a < z; ++a) along_.col(j) += (*q_)(a, j) * whole_.col(a).head(z);
      for (Eigen::Index i = j; i < k; ++i) inner_(i, j) = (i == j ? 1.0 : 0.0) - q_->col(i).dot(along_.col(j));
      // Q_j'N c, with N Q_j at hand but for its row of e.
      x_[j] = along_.col(j).dot(residual_->head(z)) + (*residual_)[z] * q_->col(j).dot(whole_.col(z).head(z));
    }
    double* const to = out + g * static_cast<std::size_t>(pick_->cols());
    if (!solve()) {
      std::fill_n(to, pick_->cols(), std::numeric_limits<double>::quiet_NaN());
      return;
    }
    for (Eigen::Index c = 0; c < pick_->cols(); ++c) to[c] = pick_->col(c).dot(x_);
  }

 private:
  // x in place of inner^-1 x, by Cholesky; false where a share of 1 - 1e-9 or more is the cluster's.
  bool solve() {
    Eigen::MatrixXd& l = inner_;
    const Eigen::Index k = l.cols();
    for (Eigen::Index j = 0; j < k; ++j) {
      for (Eigen::Index i = 0; i < j; ++i) l(j, j) -= l(j, i) * l(j, i);
      if (!(l(j, j) > live_margin)) return false;
      l(j, j) = std::sqrt(l(j, j));
      for (Eigen::Index r = j + 1; r < k; ++r) {
        for (Eigen::Index i = 0; i < j; ++i) l(r, j) -= l(r, i) * l(j, i);
        l(r, j) /= l(j, j);
      }
    }
    for (Eigen::Index j = 0; j < k; ++j) {
      for (Eigen::Index i = 0; i < j; ++i) x_[j] -= l(j, i) * x_[i];
      x_[j] /= l(j, j);
    }
    for (Eigen::Index j = k; j-- > 0;) {
      for (Eigen::Index i = j + 1; i < k; ++i) x_[j] -= l(i, j) * x_[i];
      x_[j] /= l(j, j);
    }
    return true;
  }

  const Eigen::MatrixXd* q_;
  const Eigen::VectorXd* residual_;
  const Eigen::MatrixXd* pick_;
  Eigen::MatrixXd whole_, along_, inner_;
  Eigen::VectorXd x_;
};

}  // namespace wavetax
