// Scores of clusters corrected for what the regression takes out of their residuals, with the moments that say how
// many degrees of freedom their covariance has.
//
// Rows are in an orthonormal basis Z (n x r) of regressors and effects that cut across clusters, effects within
// clusters swept before; N_g = Z_g'Z_g = V diag(s) V'. With I - H the annihilator's block of the cluster, A_g its
// symmetric pseudo-inverse root (or inverse), Z_g'A_g e_g = V f(s) V' Z_g'e_g with f(s) = (1 - s)^(-1/2) or
// (1 - s)^-1, 0 where s = 1: no block of a cluster is formed. Where a cluster has fewer rows than Z has columns,
// Z_g Z_g', which has the same s, is taken apart instead. Where all s are small, as with many clusters, the series of
// f is summed until it has no digit left to add: nothing is taken apart.
#pragma once

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <limits>
#include <vector>

#include "error-sinks.hpp"
#include "groups.hpp"
#include "parallel.hpp"

namespace wavetax {

// Columns up to which products of small matrices are quicker by themselves.
constexpr Eigen::Index most_by_series = 16;

enum class Adjustment { none = 0, root = 1, inverse = 2 };

// Of contrasts b_1, ..., b_p (columns of `pick`, r x p); with no adjustment and no moments asked for what is lost alone:
struct AdjustedScores {
  Eigen::MatrixXd products;  // p x p: sum of s s', s = pick'Z_g'A_g e_g
  Eigen::MatrixXd own;       // p x p: sum over clusters of B_gg; where moments are asked for
  Eigen::MatrixXd lost;      // p x p: what the pseudo-inverses leave out of pick'pick
  Numbers moments;           // p^4: sum over g, h of B_gh^ab B_gh^cd; empty where not asked for
  std::vector<int> lost_in;  // clusters with s = 1 in some direction, from 1
};

namespace adjusted {

// sum of a (x) a, of one symmetric p x p matrix, times `sign`.
inline void add_square(const Eigen::MatrixXd& a, double sign, Numbers& out) {
  const Eigen::Index size = a.size();
  for (Eigen::Index i = 0; i < size; ++i)
    for (Eigen::Index j = 0; j < size; ++j) out[static_cast<std::size_t>(i * size + j)] += sign * a.data()[i] * a.data()[j];
}

struct Part {
  Eigen::MatrixXd products, own, lost, pairs;  // pairs: (r p) x (r p), sum of vec(M_g) vec(M_g)'
  Numbers within;                              // p^4: what pairs of a cluster with itself need instead
  std::vector<int> lost_in;

  void add_moments(const Eigen::MatrixXd& m, const Eigen::MatrixXd& b) {
    const Eigen::Map<const Eigen::VectorXd> flat(m.data(), m.size());
    if (m.size() <= 16) {
      for (Eigen::Index j = 0; j < m.size(); ++j)
        for (Eigen::Index i = j; i < m.size(); ++i) pairs(i, j) += flat(i) * flat(j);
    } else {
      pairs.selfadjointView<Eigen::Lower>().rankUpdate(flat);
    }
    add_square(b, 1.0, within);
    add_square(m.transpose().lazyProduct(m), -1.0, within);
  }
};

inline double share_factor(double left, Adjustment adjustment) {
  if (left <= live_margin) return 0.0;
  if (adjustment == Adjustment::none) return 1.0;
  return adjustment == Adjustment::root ? 1.0 / std::sqrt(left) : 1.0 / left;
}

// N_g and Z_g'e_g of few rows and columns, by plain loops.
inline void small_sums(const Eigen::MatrixXd& rows, const Eigen::VectorXd& e, Eigen::MatrixXd& gram,
                       Eigen::VectorXd& score) {
  const Eigen::Index r = rows.cols(), size = rows.rows();
  for (Eigen::Index a = 0; a < r; ++a) {
    const double* const x = rows.data() + a * size;
    double total = 0.0;
    for (Eigen::Index i = 0; i < size; ++i) total += x[i] * e[i];
    score[a] = total;
    for (Eigen::Index b = 0; b <= a; ++b) {
      const double* const y = rows.data() + b * size;
      double product = 0.0;
      for (Eigen::Index i = 0; i < size; ++i) product += x[i] * y[i];
      gram.data()[a * r + b] = gram.data()[b * r + a] = product;
    }
  }
}

// Below this the trace of N_g leaves at most 15 terms of the series.
constexpr double small_trace = 0.1;

// d = f(N) b from the series of f, N r x r with a trace up to small_trace; `power` and `next` are room to work in.
inline void series(const Eigen::MatrixXd& gram, const Eigen::MatrixXd& pick, double trace, Adjustment adjustment,
                   Eigen::MatrixXd& power, Eigen::MatrixXd& next, Eigen::MatrixXd& d) {
  d = power = pick;
  if (adjustment == Adjustment::none) return;
  double coefficient = 1.0, size = 1.0;
  for (int term = 1; size > 1e-17; ++term) {
    next.noalias() = gram.lazyProduct(power);
    power.swap(next);
    coefficient *= adjustment == Adjustment::root ? (term - 0.5) / term : 1.0;
    size *= trace;
    d += coefficient * power;
  }
}

// The same of one column.
inline void series(const Eigen::MatrixXd& gram, double trace, Adjustment adjustment, const Eigen::VectorXd& b,
                   Eigen::VectorXd& d) {
  d = b;
  if (adjustment == Adjustment::none) return;
  const std::size_t r = static_cast<std::size_t>(b.size());
  std::array<double, 16> power, next;
  std::copy_n(b.data(), r, power.begin());
  double coefficient = 1.0, size = 1.0;
  for (int term = 1; size > 1e-17; ++term) {
    for (std::size_t a = 0; a < r; ++a) {
      const double* const column = gram.data() + a * r;
      next[a] = 0.0;
      for (std::size_t c = 0; c < r; ++c) next[a] += column[c] * power[c];
    }
    power = next;
    coefficient *= adjustment == Adjustment::root ? (term - 0.5) / term : 1.0;
    size *= trace;
    for (std::size_t a = 0; a < r; ++a) d.data()[a] += coefficient * power[a];
  }
}

}  // namespace adjusted

inline AdjustedScores adjusted_scores(const double* z, const double* e, std::size_t n, const Groups& clusters,
                                      const Eigen::MatrixXd& pick, Adjustment adjustment, bool with_moments,
                                      int threads) {
  const Eigen::Index r = pick.rows(), p = pick.cols();
  const bool lost_alone = adjustment == Adjustment::none && !with_moments;
  const std::size_t count = clusters.count, forms = static_cast<std::size_t>(p * p * p * p);
  const RowsByGroup by_cluster(clusters, n);
  const std::vector<std::size_t>& start = by_cluster.start;
  AdjustedScores out;
  const std::size_t pieces = std::min<std::size_t>(count, 8);
  std::vector<adjusted::Part> parts(pieces);
  for_each_piece(pieces, threads, [&](std::size_t piece) {
    adjusted::Part& part = parts[piece];
    part.products = part.own = part.lost = Eigen::MatrixXd::Zero(p, p);
    if (with_moments) {
      part.pairs = Eigen::MatrixXd::Zero(r * p, r * p);
      part.within.assign(forms, 0.0);
    }
    Eigen::MatrixXd rows, gram, m, d, power, next, b(p, p);
    Eigen::VectorXd left_e, score, adjusted_score, moved;
    Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> solver;
    for (std::size_t g = count * piece / pieces; g < count * (piece + 1) / pieces; ++g) {
      const Eigen::Index size = static_cast<Eigen::Index>(start[g + 1] - start[g]);
      rows.resize(size, r);
      left_e.resize(size);
      for (Eigen::Index i = 0; i < size; ++i) {
        const std::size_t row = by_cluster.at(start[g] + static_cast<std::size_t>(i));
        for (Eigen::Index c = 0; c < r; ++c) rows(i, c) = z[static_cast<std::size_t>(c) * n + row];
        left_e(i) = e[row];
      }
      const double trace = rows.squaredNorm();
      if (r <= most_by_series && trace <= adjusted::small_trace) {
        gram.resize(r, r);
        score.resize(r);
        adjusted::small_sums(rows, left_e, gram, score);
        if (!with_moments) {
          adjusted::series(gram, trace, adjustment, score, moved);
          adjusted_score.noalias() = pick.transpose().lazyProduct(moved);
          part.products.noalias() += adjusted_score.lazyProduct(adjusted_score.transpose());
          continue;
        }
        adjusted::series(gram, pick, trace, adjustment, power, next, d);
        adjusted_score.noalias() = d.transpose().lazyProduct(score);
        part.products.noalias() += adjusted_score.lazyProduct(adjusted_score.transpose());
        m.noalias() = gram.lazyProduct(d);
        b.noalias() = d.transpose().lazyProduct(m);
        b.noalias() -= m.transpose().lazyProduct(m);
        part.own += b;
        part.add_moments(m, b);
        continue;
      }
      // s, and the contrasts in its directions: V'pick, or P'Z pick = s^(1/2) V'pick with Z_g = P s^(1/2) V'.
      const bool small = r <= size;
      gram.noalias() = small ? Eigen::MatrixXd(rows.transpose() * rows) : Eigen::MatrixXd(rows * rows.transpose());
      solver.compute(gram);
      if (lost_alone && solver.eigenvalues().maxCoeff() < 1.0 - live_margin) continue;
      const Eigen::VectorXd s = solver.eigenvalues().cwiseMax(0.0);
      const Eigen::MatrixXd& vectors = solver.eigenvectors();
      const Eigen::MatrixXd direction =
          small ? Eigen::MatrixXd(vectors.transpose() * pick) : Eigen::MatrixXd(vectors.transpose() * (rows * pick));
      score = small ? Eigen::VectorXd(vectors.transpose() * (rows.transpose() * left_e))
                                          : Eigen::VectorXd(vectors.transpose() * left_e);
      Eigen::VectorXd f(s.size()), own(s.size()), size_of(s.size()), gone = Eigen::VectorXd::Zero(s.size());
      for (Eigen::Index d = 0; d < s.size(); ++d) {
        const double left = 1.0 - s(d);
        size_of(d) = small ? s(d) : 1.0;
        f(d) = adjusted::share_factor(left, adjustment);
        own(d) = size_of(d) * f(d) * f(d) * std::max(0.0, left);
        if (left <= live_margin) gone(d) = 1.0;
      }
      adjusted_score = direction.transpose() * f.cwiseProduct(score);
      part.products.noalias() += adjusted_score * adjusted_score.transpose();
      if (with_moments) {
        b = direction.transpose() * own.asDiagonal() * direction;
        part.own += b;
      }
      if (gone.sum() > 0.0) {
        const Eigen::MatrixXd away = direction.transpose() * gone.asDiagonal() * direction;
        part.lost += away;
        if (away.trace() > 1e-9) part.lost_in.push_back(static_cast<int>(g) + 1);
      }
      if (with_moments) {
        m = vectors * size_of.cwiseProduct(f).asDiagonal() * direction;
        if (!small) m = rows.transpose() * m;  // r x p
        part.add_moments(m, b);
      }
    }
  });
  out.products = out.own = out.lost = Eigen::MatrixXd::Zero(p, p);
  Eigen::MatrixXd pairs;
  if (with_moments) {
    pairs = Eigen::MatrixXd::Zero(r * p, r * p);
    out.moments.assign(forms, 0.0);
  }
  for (const adjusted::Part& part : parts) {
    out.products += part.products;
    out.own += part.own;
    out.lost += part.lost;
    out.lost_in.insert(out.lost_in.end(), part.lost_in.begin(), part.lost_in.end());
    if (!with_moments) continue;
    pairs += part.pairs;
    for (std::size_t i = 0; i < forms; ++i) out.moments[i] += part.within[i];
  }
  if (!with_moments) return out;
  pairs.triangularView<Eigen::StrictlyUpper>() = pairs.transpose();
  // sum over g, h of (m_ga'm_hb)(m_gc'm_hd) = sum over i, j of S[(i,a),(j,c)] S[(i,b),(j,d)].
  const std::size_t q = static_cast<std::size_t>(p);
  for (std::size_t a = 0; a < q; ++a)
    for (std::size_t c = 0; c < q; ++c)
      for (std::size_t b = 0; b < q; ++b)
        for (std::size_t d = 0; d < q; ++d) {
          const double sum = pairs.block(static_cast<Eigen::Index>(a) * r, static_cast<Eigen::Index>(c) * r, r, r)
                                 .cwiseProduct(pairs.block(static_cast<Eigen::Index>(b) * r,
                                                           static_cast<Eigen::Index>(d) * r, r, r))
                                 .sum();
          out.moments[(a + b * q) * q * q + (c + d * q)] += sum;
        }
  return out;
}

// pick'(I - N_g)^-1 Z_g'e_g by cluster, a number for each of its p columns: what leaving the cluster out takes from the
// coordinates of the coefficients. Directions that no other cluster tells, such as the level of an effect that lives in
// this one, are passed over where no coefficient needs them; a coefficient that does is NaN.
inline void cluster_changes(const double* z, const double* e, std::size_t n, const Eigen::MatrixXd& pick,
                            const Groups& clusters, double* out, int threads) {
  const RowsByGroup by_cluster(clusters, n);
  const std::vector<std::size_t> cuts = even_cuts(clusters.count, 256);
  const Eigen::Index width = pick.rows(), p = pick.cols();
  for_each_piece(cuts.size() - 1, threads, [&](std::size_t piece) {
    Eigen::MatrixXd left(width, width);
    Eigen::VectorXd score(width), row(width);
    for (std::size_t g = cuts[piece]; g < cuts[piece + 1]; ++g) {
      left.setIdentity();
      score.setZero();
      for (std::size_t at = by_cluster.start[g]; at < by_cluster.start[g + 1]; ++at) {
        const std::size_t i = by_cluster.at(at);
        for (Eigen::Index c = 0; c < width; ++c) row(c) = z[static_cast<std::size_t>(c) * n + i];
        left.noalias() -= row * row.transpose();
        score += row * e[i];
      }
      const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> parts(left);
      const Eigen::MatrixXd directions = parts.eigenvectors().transpose() * pick;
      Eigen::VectorXd of_score = parts.eigenvectors().transpose() * score;
      Eigen::VectorXd gone = Eigen::VectorXd::Zero(p);
      for (Eigen::Index d = 0; d < width; ++d) {
        const bool told = parts.eigenvalues()(d) > live_margin;
        if (!told) gone += directions.row(d).transpose().cwiseAbs2();
        of_score(d) = told ? of_score(d) / parts.eigenvalues()(d) : 0.0;
      }
      Eigen::Map<Eigen::VectorXd> to(out + g * static_cast<std::size_t>(p), p);
      to = directions.transpose() * of_score;
      for (Eigen::Index c = 0; c < p; ++c)
        if (gone(c) > 1e-12) to(c) = std::numeric_limits<double>::quiet_NaN();
    }
  });
}

// N_g = Z_g'Z_g, r^2 numbers a cluster, and Z_g'e_g, r numbers a cluster, behind each other.
inline void cluster_moments(const double* z, const double* e, std::size_t n, std::size_t r, const Groups& clusters,
                            double* grams, double* scores) {
  std::fill_n(grams, clusters.count * r * r, 0.0);
  std::fill_n(scores, clusters.count * r, 0.0);
  for (std::size_t i = 0; i < n; ++i) {
    double* const gram = grams + clusters.of(i) * r * r;
    double* const score = scores + clusters.of(i) * r;
    for (std::size_t b = 0; b < r; ++b) {
      const double one = z[b * n + i];
      score[b] += one * e[i];
      if (one == 0.0) continue;
      for (std::size_t a = 0; a < r; ++a) gram[b * r + a] += z[a * n + i] * one;
    }
  }
}

}  // namespace wavetax
