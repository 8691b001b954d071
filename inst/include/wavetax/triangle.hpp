// The triangular factor of a least-squares problem: the state that rows are
// accumulated into, that merges with another, and that is solved at the end.
// Only orthogonal transformations touch the data, so the accuracy is that of a
// Householder QR of all rows at once (Golub & Van Loan, Matrix Computations, 5.2).
#pragma once

#include <Eigen/Core>
#include <Eigen/QR>
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include "pairs.hpp"
#include "parallel.hpp"
#include "rows.hpp"

namespace wavetax {

// Columns are at least 1e-70 in size (the callers see to it): this is far below their rounding.
constexpr double smallest_square = 1e-280;

class Triangle {
 public:
  explicit Triangle(std::size_t width) : r_(Eigen::MatrixXd::Zero(width, width)) {}
  explicit Triangle(const Eigen::MatrixXd& r) : r_(r) {}

  std::size_t width() const { return static_cast<std::size_t>(r_.cols()); }
  const Eigen::MatrixXd& matrix() const { return r_; }

  // Takes `count` rows in. `block` holds them column by column, `stride` doubles
  // apart, and is destroyed. Each reflection acts on one row of the triangle and
  // on the block below it.
  void absorb(double* block, std::size_t count, std::size_t stride = block_rows) {
    const Eigen::Index p = r_.cols();
    for (Eigen::Index j = 0; j < p; ++j) {
      double* const v = block + j * stride;
      double below;
      dot_products<1>(v, v, stride, count, &below);
      // What is left of a column that others hold is rounding, what is left of that the rounding
      // of rounding; it is ended before its square falls below the smallest number.
      if (below < smallest_square) {
        std::fill_n(v, count, 0.0);
        continue;
      }
      const double top = r_(j, j);
      const double beta = top > 0.0 ? -std::sqrt(top * top + below) : std::sqrt(top * top + below);
      const Reflection reflection{v, top - beta, count, stride};
      r_(j, j) = beta;
      Eigen::Index l = j + 1;
      for (; l + 4 <= p; l += 4) reflect<4>(reflection, beta, j, l, block);
      if (p - l == 3) reflect<3>(reflection, beta, j, l, block);
      if (p - l == 2) reflect<2>(reflection, beta, j, l, block);
      if (p - l == 1) reflect<1>(reflection, beta, j, l, block);
    }
  }

  void merge(const Triangle& other) {
    Eigen::MatrixXd block = other.r_;
    absorb(block.data(), static_cast<std::size_t>(block.rows()), static_cast<std::size_t>(block.rows()));
  }

 private:
  struct Reflection {
    const double* v;
    double pivot;
    std::size_t count, stride;
  };

  // Acts on `Columns` columns from `l` on, below row j of the triangle, whose new diagonal is `beta`.
  template <std::size_t Columns>
  void reflect(const Reflection& by, double beta, Eigen::Index j, Eigen::Index l, double* block) {
    double* const columns = block + l * by.stride;
    const double tau = -1.0 / (beta * by.pivot);
    double products[Columns];
    dot_products<Columns>(by.v, columns, by.stride, by.count, products);
    for (std::size_t c = 0; c < Columns; ++c) {
      double& above = r_(j, l + static_cast<Eigen::Index>(c));
      products[c] = tau * (by.pivot * above + products[c]);
      above -= products[c] * by.pivot;
    }
    take_from_each<Columns>(by.v, products, by.count, columns, by.stride);
  }

  Eigen::MatrixXd r_;
};

// Coordinates of rows in an orthonormal basis of their columns' span, R'u = x for the upper
// factor R of all rows: column by column, in place, as in Gram-Schmidt with R known. `block`
// holds `count` rows, column by column, `stride` apart.
inline void to_orthonormal(const Eigen::MatrixXd& r, double* block, std::size_t count,
                           std::size_t stride = block_rows) {
  for (Eigen::Index c = 0; c < r.cols(); ++c) {
    const double* const times = r.data() + c * r.rows();
    Eigen::Index first = 0;  // a constant that is orthogonal to the rest takes nothing
    while (first < c && times[first] == 0.0) ++first;
    take_all(block + first * static_cast<Eigen::Index>(stride), static_cast<std::ptrdiff_t>(stride), times + first,
             static_cast<std::size_t>(c - first), 1.0 / r(c, c), count, block + c * stride);
  }
}

// Rows collected into blocks on their way into a triangle. Ends with flush().
class RowBuffer {
 public:
  explicit RowBuffer(Triangle& triangle)
      : triangle_(triangle), block_(block_rows * triangle.width()) {}

  template <class Value>
  void push(Value&& value) {
    for (std::size_t c = 0; c < triangle_.width(); ++c) block_[c * block_rows + used_] = value(c);
    if (++used_ == block_rows) flush();
  }

  void flush() {
    if (used_ > 0) triangle_.absorb(block_.data(), used_);
    used_ = 0;
  }

 private:
  Triangle& triangle_;
  Numbers block_;
  std::size_t used_ = 0;
};

// From this width on rows are taken in larger blocks, by reflections that act together.
constexpr std::size_t wide = 48;

// Rows on their way into a wide triangle, which is factored with a stack of them as one matrix.
class WideStack {
 public:
  void add(const double* block, std::size_t count, Triangle& triangle) {
    const Eigen::Index p = static_cast<Eigen::Index>(triangle.width());
    if (rows_.rows() == 0) rows_.resize(std::max<Eigen::Index>(4 * block_rows, 2 * p) + block_rows, p);
    for (Eigen::Index c = 0; c < p; ++c) std::copy_n(block + c * block_rows, count, &rows_(used_, c));
    used_ += static_cast<Eigen::Index>(count);
    if (used_ + static_cast<Eigen::Index>(block_rows) > rows_.rows()) flush(triangle);
  }

  void flush(Triangle& triangle) {
    if (used_ == 0) return;
    const Eigen::Index p = rows_.cols();
    Eigen::MatrixXd stacked(p + used_, p);
    stacked << triangle.matrix(), rows_.topRows(used_);
    const Eigen::HouseholderQR<Eigen::Ref<Eigen::MatrixXd>> factored(stacked);
    triangle = Triangle(stacked.topRows(p).triangularView<Eigen::Upper>());
    used_ = 0;
  }

  void end(Triangle& triangle) {
    flush(triangle);
    rows_.resize(0, 0);
  }

 private:
  Eigen::MatrixXd rows_;
  Eigen::Index used_ = 0;
};

inline Triangle merge_in_order(const std::vector<Triangle>& pieces, std::size_t width) {
  Triangle all(width);
  for (const Triangle& piece : pieces) all.merge(piece);
  return all;
}

}  // namespace wavetax
