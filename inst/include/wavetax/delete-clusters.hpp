// What leaving out each cluster changes in an instrumented regression, everything estimated again.
//
// Rows are in an orthonormal basis of n rows: D, effects that cut across clusters, then S, of the columns [X1, Z2, X2,
// e] in this order, e the residual. Without cluster g what D leaves of S has the cross-products
//   I - S_g' (I - D_g D_g')^+ S_g = U'U,
// and U F is the factor of the other rows' columns, F that of all. Of its last rows the coefficients are solved.
#pragma once

#include <Eigen/Core>
#include <Eigen/Eigenvalues>
#include <Eigen/QR>
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <limits>
#include <vector>

#include "error-sinks.hpp"
#include "groups.hpp"
#include "parallel.hpp"

namespace wavetax {

struct InstrumentedColumns {
  Eigen::Index beside;     // how many X1 has, the constant among them
  Eigen::Index l, m;       // instruments Z2, endogenous X2
  Eigen::MatrixXd factor;  // F, upper triangular
  bool limited;            // limited information instead of two stages

  Eigen::Index width() const { return beside + l + m + 1; }
};

namespace deleted {

// The smallest root mu of |told'told - mu left'left|, their columns [x2, e].
inline double smallest_root(const Eigen::MatrixXd& told, const Eigen::MatrixXd& left) {
  if (told.rows() < told.cols()) return 0.0;
  const Eigen::GeneralizedSelfAdjointEigenSolver<Eigen::MatrixXd> roots(told.transpose() * told,
                                                                      left.transpose() * left);
  return std::max(0.0, roots.eigenvalues().minCoeff());
}

// The coefficients of [X1, X2] from U F; false where they do not exist.
inline bool coefficients(const InstrumentedColumns& of, const Eigen::MatrixXd& t, double* out) {
  const Eigen::Index b = of.beside, l = of.l, m = of.m, x = b + l, y = x + m;
  Eigen::VectorXd b2(m);
  if (m == 1) {
    double xx = 0.0, xy = 0.0, yy = 0.0;
    for (Eigen::Index i = b; i < x; ++i) {
      xx += t(i, x) * t(i, x);
      xy += t(i, x) * t(i, y);
      yy += t(i, y) * t(i, y);
    }
    const double lxx = t(x, x) * t(x, x), lxy = t(x, x) * t(x, y), lyy = t(x, y) * t(x, y) + t(y, y) * t(y, y);
    if (!(xx > 1e-18 * (xx + lxx))) return false;
    double mu = 0.0;
    if (of.limited && l > 1) {
      const double square = lxx * lyy - lxy * lxy, linear = xx * lyy + yy * lxx - 2.0 * xy * lxy;
      const double constant = xx * yy - xy * xy;
      mu = 2.0 * constant / (linear + std::sqrt(std::max(0.0, linear * linear - 4.0 * square * constant)));
    }
    b2[0] = (xy - mu * lxy) / (xx - mu * lxx);
  } else {
    const Eigen::MatrixXd told = t.block(b, x, l, m + 1), left = t.block(x, x, m + 1, m + 1);
    Eigen::MatrixXd unit = told.leftCols(m);
    for (Eigen::Index j = 0; j < m; ++j)
      unit.col(j) /= std::sqrt(told.col(j).squaredNorm() + left.col(j).squaredNorm());
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> size(unit.transpose() * unit, Eigen::EigenvaluesOnly);
    if (!(size.eigenvalues().minCoeff() > 1e-18)) return false;
    if (of.limited && l > m) {
      const double mu = smallest_root(told, left);
      const Eigen::MatrixXd products = told.transpose() * told - mu * left.transpose() * left;
      b2 = products.topLeftCorner(m, m).colPivHouseholderQr().solve(products.topRightCorner(m, 1));
    } else {
      b2 = told.leftCols(m).colPivHouseholderQr().solve(told.col(m));
    }
  }
  for (Eigen::Index i = b - 1; i >= 0; --i) {
    double rest = t(i, y);
    for (Eigen::Index j = 0; j < m; ++j) rest -= t(i, x + j) * b2[j];
    for (Eigen::Index j = i + 1; j < b; ++j) rest -= t(i, j) * out[j];
    out[i] = rest / t(i, i);
  }
  for (Eigen::Index j = 0; j < m; ++j) out[b + j] = b2[j];
  return true;
}

// I - D_g D_g' or its smaller counterpart taken out of S_g: S_g'(I - D_g D_g')^+ S_g.
inline Eigen::MatrixXd taken(const Eigen::MatrixXd& d, const Eigen::MatrixXd& s) {
  Eigen::MatrixXd out = s.transpose() * s;
  if (d.cols() == 0) return out;
  const bool by_row = d.rows() <= d.cols();
  const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> parts(by_row ? Eigen::MatrixXd(d * d.transpose())
                                                                  : Eigen::MatrixXd(d.transpose() * d));
  // What D has beyond the cluster: of a direction v of rows v'S_g / (1 - share), of one of columns the same with the
  // share in place of 1.
  const Eigen::MatrixXd along = parts.eigenvectors().transpose() * (by_row ? s : Eigen::MatrixXd(d.transpose() * s));
  for (Eigen::Index v = 0; v < along.rows(); ++v) {
    const double share = parts.eigenvalues()[v], left = 1.0 - share;
    if (left <= live_margin) {
      // A direction that the cluster alone has goes with it.
      out -= (by_row ? 1.0 : 1.0 / share) * along.row(v).transpose() * along.row(v);
      continue;
    }
    out += (by_row ? share : 1.0) / left * along.row(v).transpose() * along.row(v);
  }
  return out;
}

}  // namespace deleted

// The changes of the coefficients without one cluster, from what it has of the basis S: `sum`, its upper triangle.
class WithoutCluster {
 public:
  explicit WithoutCluster(const InstrumentedColumns& of)
      : of_(&of), u_(of.width(), of.width()), t_(Eigen::MatrixXd::Zero(of.width(), of.width())) {}

  void operator()(const Eigen::MatrixXd& sum, double* change) {
    const Eigen::Index width = of_->width();
    if (whole(sum)) {
      for (Eigen::Index j = 0; j < width; ++j)
        for (Eigen::Index i = 0; i <= j; ++i) {
          double total = 0.0;
          for (Eigen::Index c = i; c <= j; ++c) total += u_(i, c) * of_->factor(c, j);
          t_(i, j) = total;
        }
      if (deleted::coefficients(*of_, t_, change)) return;
    }
    std::fill_n(change, of_->beside + of_->m, std::numeric_limits<double>::quiet_NaN());
  }

 private:
  // U'U = I - sum, a column at a time; false where the cluster alone has a column.
  bool whole(const Eigen::MatrixXd& sum) {
    const Eigen::Index width = of_->width();
    for (Eigen::Index j = 0; j < width; ++j)
      for (Eigen::Index i = 0; i <= j; ++i) {
        double rest = (i == j ? 1.0 : 0.0) - sum(i, j);
        for (Eigen::Index c = 0; c < i; ++c) rest -= u_(c, i) * u_(c, j);
        if (i < j) {
          u_(i, j) = rest / u_(i, i);
        } else {
          if (!(rest > live_margin) && j + 1 < width) return false;
          u_(i, j) = std::sqrt(std::max(rest, 0.0));
        }
      }
    return true;
  }

  const InstrumentedColumns* of_;
  Eigen::MatrixXd u_, t_;
};

// The same from cross-products of [z, e], see GramSink: S = [z, (e - z v) / left].
struct DeletedOf {
  const InstrumentedColumns* of;
  const Eigen::VectorXd* v;
  double left;
  double* out;
  WithoutCluster without;
  Eigen::MatrixXd sum;

  void operator()(const double* gram, std::size_t g) {
    const Eigen::Index p = of->width(), z = p - 1;
    sum.resize(p, p);
    for (Eigen::Index j = 0; j < p; ++j)
      for (Eigen::Index i = 0; i <= j; ++i) sum(i, j) = gram[j * p + i];
    double last = sum(z, z);
    for (Eigen::Index i = 0; i < z; ++i) {
      double taken = 0.0;
      for (Eigen::Index j = 0; j < z; ++j) taken += (i <= j ? sum(i, j) : sum(j, i)) * (*v)[j];
      last += (*v)[i] * (taken - 2.0 * gram[z * p + i]);
      sum(i, z) = left != 0.0 ? (gram[z * p + i] - taken) / left : 0.0;
    }
    sum(z, z) = left != 0.0 ? last / (left * left) : 0.0;
    without(sum, out + g * static_cast<std::size_t>(of->beside + of->m));
  }
};

// `d` n x r, `s` n x width; `out` has a column a cluster of beside + m changes, NaN where the other rows do not tell
// every one of the columns that are left.
inline void delete_clusters(const double* d, std::size_t r, const double* s, std::size_t n, const Groups& clusters,
                            const InstrumentedColumns& of, double* out, int threads) {
  const Eigen::Index width = of.width(), k = of.beside + of.m;
  const RowsByGroup by_cluster(clusters, n);
  const std::vector<std::size_t>& start = by_cluster.start;
  const std::vector<std::size_t> cuts = even_cuts(clusters.count, 256);
  for_each_piece(cuts.size() - 1, threads, [&](std::size_t piece) {
    WithoutCluster without(of);
    Eigen::MatrixXd sum(width, width);
    for (std::size_t g = cuts[piece]; g < cuts[piece + 1]; ++g) {
      double* const change = out + g * static_cast<std::size_t>(k);
      const std::size_t size = start[g + 1] - start[g];
      const auto row = [&](std::size_t i) { return by_cluster.at(start[g] + i); };
      if (r == 0) {
        sum.setZero();
        for (std::size_t i = 0; i < size; ++i) {
          const double* const from = s + row(i);
          for (Eigen::Index b = 0; b < width; ++b) {
            const double v = from[static_cast<std::size_t>(b) * n];
            for (Eigen::Index a = 0; a <= b; ++a) sum(a, b) += v * from[static_cast<std::size_t>(a) * n];
          }
        }
      } else {
        Eigen::MatrixXd dg(static_cast<Eigen::Index>(size), static_cast<Eigen::Index>(r));
        Eigen::MatrixXd sg(static_cast<Eigen::Index>(size), width);
        for (std::size_t i = 0; i < size; ++i) {
          const Eigen::Index to = static_cast<Eigen::Index>(i);
          for (std::size_t c = 0; c < r; ++c) dg(to, static_cast<Eigen::Index>(c)) = d[c * n + row(i)];
          for (Eigen::Index c = 0; c < width; ++c) sg(to, c) = s[static_cast<std::size_t>(c) * n + row(i)];
        }
        sum = deleted::taken(dg, sg);
      }
      without(sum, change);
    }
  });
}

}  // namespace wavetax
