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
    using Column = Eigen::Map<Eigen::VectorXd>;
    const Eigen::Index p = r_.cols();
    for (Eigen::Index j = 0; j < p; ++j) {
      Column v(block + j * stride, count);
      const double below = v.squaredNorm();
      // What is left of a column that others hold is rounding, what is left of that the rounding
      // of rounding; it is ended before its square falls below the smallest number.
      if (below < smallest_square) {
        v.setZero();
        continue;
      }
      const double top = r_(j, j);
      const double beta = top > 0.0 ? -std::sqrt(top * top + below) : std::sqrt(top * top + below);
      const double pivot = top - beta;
      const double tau = -1.0 / (beta * pivot);
      r_(j, j) = beta;
      for (Eigen::Index l = j + 1; l < p; ++l) {
        Column other(block + l * stride, count);
        const double s = tau * (pivot * r_(j, l) + v.dot(other));
        r_(j, l) -= s * pivot;
        other.noalias() -= s * v;
      }
    }
  }

  void merge(const Triangle& other) {
    Eigen::MatrixXd block = other.r_;
    absorb(block.data(), static_cast<std::size_t>(block.rows()),
           static_cast<std::size_t>(block.rows()));
  }

 private:
  Eigen::MatrixXd r_;
};

// Coordinates of rows in an orthonormal basis of their columns' span, R'u = x for the upper
// factor R of all rows: column by column, in place, as in Gram-Schmidt with R known. `block`
// holds `count` rows, column by column, `stride` apart.
inline void to_orthonormal(const Eigen::MatrixXd& r, double* block, std::size_t count,
                           std::size_t stride = block_rows) {
  using Column = Eigen::Map<Eigen::VectorXd>;
  for (Eigen::Index c = 0; c < r.cols(); ++c) {
    Column x(block + c * stride, count);
    for (Eigen::Index a = 0; a < c; ++a)
      if (r(a, c) != 0.0) x.noalias() -= r(a, c) * Column(block + a * stride, count);
    x *= 1.0 / r(c, c);
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
  std::vector<double> block_;
  std::size_t used_ = 0;
};

// From this width on rows are taken in larger blocks, by reflections that act together.
constexpr std::size_t wide = 48;

// The same for many columns: the triangle and the rows below it are factored as one matrix.
inline void absorb_wide_rows(const Rows& rows, const Sweep& sweep, std::size_t begin, std::size_t end,
                             Triangle& triangle) {
  const std::size_t p = rows.width();
  const std::size_t most = std::min(end - begin, std::max<std::size_t>(4 * block_rows, 2 * p));
  Eigen::MatrixXd stacked(p + most, p);
  std::vector<double> block(block_rows * p);
  for (std::size_t at = begin; at < end;) {
    const std::size_t taken = std::min(most, end - at);
    stacked.topRows(p) = triangle.matrix();
    for (std::size_t part = 0; part < taken; part += block_rows) {
      const std::size_t count = std::min(block_rows, taken - part);
      sweep.fill(rows, at + part, count, block.data());
      for (std::size_t c = 0; c < p; ++c)
        std::copy_n(&block[c * block_rows], count, &stacked(p + part, c));
    }
    Eigen::Ref<Eigen::MatrixXd> filled = stacked.topRows(p + taken);
    const Eigen::HouseholderQR<Eigen::Ref<Eigen::MatrixXd>> factored(filled);
    triangle = Triangle(filled.topRows(p).triangularView<Eigen::Upper>());
    at += taken;
  }
}

// Sweeps rows [begin, end) and takes them into the triangle.
inline void absorb_rows(const Rows& rows, const Sweep& sweep, std::size_t begin, std::size_t end,
                        Triangle& triangle) {
  if (rows.width() >= wide && end - begin >= rows.width() / 2) return absorb_wide_rows(rows, sweep, begin, end, triangle);
  std::vector<double> block(block_rows * rows.width());
  for (std::size_t at = begin; at < end; at += block_rows) {
    const std::size_t count = std::min(block_rows, end - at);
    sweep.fill(rows, at, count, block.data());
    triangle.absorb(block.data(), count);
  }
}

inline Triangle merge_in_order(const std::vector<Triangle>& pieces, std::size_t width) {
  Triangle all(width);
  for (const Triangle& piece : pieces) all.merge(piece);
  return all;
}

// The factor of all rows after the sweep.
inline Triangle accumulate_triangle(const Rows& rows, const Sweep& sweep, int threads) {
  const std::size_t pieces = (rows.n + piece_rows - 1) / piece_rows;
  std::vector<Triangle> parts(pieces, Triangle(rows.width()));
  for_each_piece(pieces, threads, [&](std::size_t piece) {
    const std::size_t begin = piece * piece_rows;
    absorb_rows(rows, sweep, begin, std::min(rows.n, begin + piece_rows), parts[piece]);
  });
  return merge_in_order(parts, rows.width());
}

}  // namespace wavetax
