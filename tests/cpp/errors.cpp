// Tests of what covariances, draws and ranks are summed up from, each against loops and dense matrices of its own.
#include "check.hpp"

#include <algorithm>
#include <cmath>

namespace {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

std::mt19937 generator(11);

MatrixXd normals(Index rows, Index cols) {
  std::normal_distribution<double> normal;
  MatrixXd out(rows, cols);
  for (Index c = 0; c < cols; ++c)
    for (Index r = 0; r < rows; ++r) out(r, c) = normal(generator);
  return out;
}

std::vector<int> groups_of(std::size_t n, int count, bool sorted) {
  std::uniform_int_distribution<int> draw(1, count);
  std::vector<int> out(n);
  for (int& one : out) one = draw(generator);
  for (int g = 1; g <= count && static_cast<std::size_t>(g) <= n; ++g) out[static_cast<std::size_t>(g) - 1] = g;
  if (sorted) std::sort(out.begin(), out.end());
  return out;
}

wavetax::Groups as_groups(const std::vector<int>& codes, int count) {
  return {codes.data(), static_cast<std::size_t>(count), std::is_sorted(codes.begin(), codes.end())};
}

// A regression of the last column on the two before it, through the origin, with its residuals.
struct Regression {
  MatrixXd data, X, upper, U;  // U: the rows in orthonormal coordinates
  VectorXd weights, e, combination;
  wavetax::Rows rows;
  wavetax::Sweep nothing;
  wavetax::View view;

  Regression(Index n, bool weighted) : data(normals(n, 3)), weights(VectorXd::Ones(n)) {
    data.col(2) += data.col(0) - 0.5 * data.col(1);
    data(0, 0) = 40.0;  // a row of a leverage far above the mean
    if (weighted) weights = (normals(n, 1).array().abs() + 0.3).matrix();
    X = data.leftCols(2);
    const MatrixXd A = X.transpose() * weights.asDiagonal() * X;
    upper = A.llt().matrixU();
    const VectorXd b = A.ldlt().solve(X.transpose() * weights.asDiagonal() * data.col(2));
    e = data.col(2) - X * b;
    U = upper.transpose().triangularView<Eigen::Lower>().solve(X.transpose()).transpose();
    combination = VectorXd(3);
    combination << -b, 1.0;
    rows.n = static_cast<std::size_t>(n);
    for (Index c = 0; c < 3; ++c) rows.columns.push_back(data.col(c).data());
    if (weighted) rows.weights = weights.data();
    view.rows = &rows;
    view.sweep = &nothing;
    view.combination = combination.data();
  }
  Regression(const Regression&) = delete;
};

void robust() {
  for (const bool weighted : {false, true})
    for (const Index n : {Index{37}, Index{9000}}) {
      const Regression r(n, weighted);
      const double mean = 2.0 / static_cast<double>(n);
      for (const double power : {0.0, 1.0, 2.0, -1.0}) {
        MatrixXd dense = MatrixXd::Zero(2, 2);
        for (Index i = 0; i < n; ++i) {
          const double h = r.weights(i) * r.U.row(i).squaredNorm();
          const double delta = power < 0.0 ? std::min(4.0, h / mean) : power;
          dense += std::pow(r.weights(i) * r.e(i), 2.0) / std::pow(1.0 - h, delta) * r.U.row(i).transpose() * r.U.row(i);
        }
        for (const int threads : {1, 2}) {
          const auto sums = wavetax::visit(r.view, wavetax::RobustSink(r.upper, {}, power, mean), threads);
          check(near(sums.products(), dense, 1e-10) && sums.fitted() == 0, "robust products, by the power of 1 - h");
        }
      }
      // Effects' part of the leverage by row and by group, one row of h = 1, and the quick way.
      VectorXd part = VectorXd::Constant(n, 0.01);
      part(3) = 1.0 - r.weights(3) * r.U.row(3).squaredNorm();
      MatrixXd dense = MatrixXd::Zero(2, 2);
      for (Index i = 0; i < n; ++i) {
        const double left = 1.0 - part(i) - r.weights(i) * r.U.row(i).squaredNorm();
        if (i != 3) dense += std::pow(r.weights(i) * r.e(i) / left, 2.0) * r.U.row(i).transpose() * r.U.row(i);
      }
      wavetax::EffectLeverage leverage;
      leverage.by_row = part.data();
      const auto sums = wavetax::visit(r.view, wavetax::RobustSink(r.upper, leverage, 2.0, mean), 2);
      check(near(sums.products(), dense, 1e-10) && sums.fitted() == 1, "robust products with the effects' leverage");
      const std::vector<int> codes = groups_of(static_cast<std::size_t>(n), 5, false);
      const wavetax::Numbers inverse{0.01, 0.02, 0.03, 0.04, 0.05};
      dense.setZero();
      for (Index i = 0; i < n; ++i) {
        const double left = 1.0 - r.weights(i) * (inverse[static_cast<std::size_t>(codes[static_cast<std::size_t>(i)]) - 1] +
                                                  r.U.row(i).squaredNorm());
        if (left > 1e-9) dense += std::pow(r.weights(i) * r.e(i), 2.0) / left * r.U.row(i).transpose() * r.U.row(i);
      }
      wavetax::EffectLeverage by_group;
      by_group.codes = codes.data();
      by_group.inverse = inverse.data();
      check(near(wavetax::visit(r.view, wavetax::RobustSink(r.upper, by_group, 1.0, mean), 1).products(), dense, 1e-10),
            "robust products with leverages of groups");
      dense.setZero();
      std::size_t small = 0;
      for (Index i = 0; i < n; ++i) {
        dense += std::pow(r.weights(i) * r.e(i), 2.0) * r.U.row(i).transpose() * r.U.row(i);
        small += std::abs(r.e(i)) <= 0.2;
      }
      const auto quick = wavetax::visit(r.view, wavetax::RobustSink(r.upper, {}, 0.0, mean, 0.2), 2);
      check(near(quick.products(), dense, 1e-10) && quick.fitted() == small, "robust products, the quick way");
    }
}

void clustered() {
  for (const bool weighted : {false, true})
    for (const Index n : {Index{400}, Index{60000}}) {
      const Regression r(n, weighted);
      const int few = 23, many = static_cast<int>(n / 3);
      const MatrixXd contrasts = MatrixXd::Identity(2, 2).rightCols(1);
      const wavetax::ClusterTerms terms(r.upper, 0, r.upper * contrasts);
      for (const bool sorted : {true, false}) {
        const std::vector<int> one = groups_of(static_cast<std::size_t>(n), few, sorted);
        const std::vector<int> two = groups_of(static_cast<std::size_t>(n), many, sorted);
        const std::vector<wavetax::Groups> by{as_groups(one, few), as_groups(two, many)};
        for (const int threads : {1, 2}) {
          auto sums = wavetax::visit(r.view, wavetax::ErrorSink(by, terms), threads);
          sums.end();
          for (std::size_t s = 0; s < 2; ++s) {
            MatrixXd scores = MatrixXd::Zero(2, s == 0 ? few : many);
            for (Index i = 0; i < n; ++i)
              scores.col((s == 0 ? one : two)[static_cast<std::size_t>(i)] - 1) += r.weights(i) * r.e(i) * r.U.row(i).transpose();
            check(near(sums.sums(s).products(), scores * scores.transpose(), 1e-9), "products of clusters' scores");
            auto alone = wavetax::visit(r.view, wavetax::ScoreSink(by[s], r.upper), threads);
            check(near(Eigen::Map<const MatrixXd>(alone.scores().data(), 2, scores.cols()), scores, 1e-9), "clusters' scores");
          }
        }
      }
    }
}

void lagged() {
  for (const std::size_t n : {std::size_t{300}, std::size_t{55000}}) {
    const int count = static_cast<int>(n / 7);
    std::vector<int> codes = groups_of(n, count, false), clock(n), order(n);
    std::vector<int> next(static_cast<std::size_t>(count) + 1, 0);
    for (std::size_t i = 0; i < n; ++i) clock[i] = next[static_cast<std::size_t>(codes[i])] += i % 5 == 0 ? 3 : 1;
    for (std::size_t i = 0; i < n; ++i) order[i] = static_cast<int>(i) + 1;
    std::stable_sort(order.begin(), order.end(), [&](int a, int b) {
      return codes[static_cast<std::size_t>(a) - 1] < codes[static_cast<std::size_t>(b) - 1];
    });
    const MatrixXd scores = normals(static_cast<Index>(n), 2);
    for (const int lags : {0, 1, 4}) {
      MatrixXd dense = MatrixXd::Zero(2, 2);
      std::vector<std::vector<Index>> rows(static_cast<std::size_t>(count));
      for (std::size_t i = 0; i < n; ++i) rows[static_cast<std::size_t>(codes[i]) - 1].push_back(static_cast<Index>(i));
      for (const auto& group : rows)
        for (const Index a : group)
          for (const Index b : group) {
            const double distance = std::abs(clock[static_cast<std::size_t>(a)] - clock[static_cast<std::size_t>(b)]);
            if (distance <= lags) dense += (1.0 - distance / (lags + 1.0)) * scores.row(a).transpose() * scores.row(b);
          }
      for (const int threads : {1, 2})
        check(near(wavetax::lagged_products(scores.data(), n, 2, as_groups(codes, count), clock.data(), order.data(), lags,
                                            threads),
                   dense, 1e-10),
              "Bartlett's weights over gaps, in one piece and in several");
    }
  }
}

void wild() {
  const Index r = 3, G = 9, draws = 1300;
  const MatrixXd scores = normals(r, G), weights = normals(G, draws);
  wavetax::WildDirection one;
  one.u = normals(r, 1);
  one.shifted = normals(r, G);
  one.taken = normals(r, G);
  one.level = normals(G, 1);
  one.slope = normals(G, 1);
  for (const bool carried : {false, true}) {
    if (carried) {
      one.carried_level = normals(G, G);
      one.carried_slope = normals(G, G);
    }
    MatrixXd out(draws, 5), dense(draws, 5);
    for (Index d = 0; d < draws; ++d) {
      const VectorXd v = weights.col(d), zeta = scores * v, moved = one.shifted * v;
      VectorXd s0(G), s1(G);
      for (Index g = 0; g < G; ++g) {
        s0(g) = (carried ? one.carried_level.row(g).dot(v) : one.level(g) * v(g)) - one.taken.col(g).dot(zeta);
        s1(g) = (carried ? one.carried_slope.row(g).dot(v) : one.slope(g) * v(g)) - one.taken.col(g).dot(moved);
      }
      dense.row(d) << one.u.dot(zeta), one.u.dot(moved), s0.dot(s0), s0.dot(s1), s1.dot(s1);
    }
    for (const int threads : {1, 2}) {
      wavetax::wild_draws(scores, weights, one, out.data(), threads);
      check(near(out, dense), carried ? "wild draws with effects across clusters" : "wild draws");
    }
  }
}

// Orthonormal columns, clusters of 1 to 60 rows, one of which holds a direction alone.
void adjusted() {
  for (const Index r : {Index{2}, Index{18}}) {
    const Index n = 240;
    std::vector<int> codes(n);
    for (Index i = 0; i < n; ++i) codes[static_cast<std::size_t>(i)] = i < 60 ? 1 : static_cast<int>(2 + (i - 60) % 11);
    codes[n - 1] = 13;
    const int G = 13;
    MatrixXd raw = normals(n, r);
    raw.col(r - 1).tail(n - 60).setZero();
    const MatrixXd Z = Eigen::HouseholderQR<MatrixXd>(raw).householderQ() * MatrixXd::Identity(n, r);
    const VectorXd e = normals(n, 1);
    const MatrixXd pick = normals(r, 2);
    for (const auto how : {wavetax::Adjustment::none, wavetax::Adjustment::root, wavetax::Adjustment::inverse}) {
      MatrixXd products = MatrixXd::Zero(2, 2), lost = products, P = MatrixXd::Zero(n, 2 * G);
      std::vector<MatrixXd> p(static_cast<std::size_t>(G));
      for (int g = 1; g <= G; ++g) {
        std::vector<Index> in;
        for (Index i = 0; i < n; ++i)
          if (codes[static_cast<std::size_t>(i)] == g) in.push_back(i);
        const Index m = static_cast<Index>(in.size());
        MatrixXd Zg(m, r);
        VectorXd eg(m);
        for (Index i = 0; i < m; ++i) {
          Zg.row(i) = Z.row(in[static_cast<std::size_t>(i)]);
          eg(i) = e(in[static_cast<std::size_t>(i)]);
        }
        const Eigen::SelfAdjointEigenSolver<MatrixXd> parts(MatrixXd::Identity(m, m) - Zg * Zg.transpose());
        VectorXd factor(m), kept(m);
        for (Index d = 0; d < m; ++d) {
          const double left = parts.eigenvalues()(d);
          kept(d) = left > 1e-9;
          factor(d) = left <= 1e-9 ? 0.0 : how == wavetax::Adjustment::none ? 1.0 : how == wavetax::Adjustment::root
                          ? 1.0 / std::sqrt(left) : 1.0 / left;
        }
        const MatrixXd& V = parts.eigenvectors();
        const MatrixXd A = V * factor.asDiagonal() * V.transpose(), gone = V * (1.0 - kept.array()).matrix().asDiagonal() * V.transpose();
        const VectorXd s = pick.transpose() * Zg.transpose() * A * eg;
        products += s * s.transpose();
        lost += pick.transpose() * Zg.transpose() * gone * Zg * pick;
        for (Index i = 0; i < m; ++i) P.row(in[static_cast<std::size_t>(i)]).segment(2 * (g - 1), 2) = (A * Zg * pick).row(i);
      }
      // p_g = (I - ZZ')_{.g} A_g Z_g pick, B_gh = p_g'p_h: their own part, and the moments over all pairs.
      const MatrixXd all = P - Z * (Z.transpose() * P), B = all.transpose() * all;
      MatrixXd own = MatrixXd::Zero(2, 2);
      VectorXd moments = VectorXd::Zero(16);
      for (int g = 0; g < G; ++g) {
        own += B.block(2 * g, 2 * g, 2, 2);
        for (int h = 0; h < G; ++h) {
          const MatrixXd b = B.block(2 * g, 2 * h, 2, 2);
          for (Index i = 0; i < 4; ++i)
            for (Index j = 0; j < 4; ++j) moments(i * 4 + j) += b.data()[i] * b.data()[j];
        }
      }
      const auto out = wavetax::adjusted_scores(Z.data(), e.data(), n, as_groups(codes, G), pick, how, true, 2);
      check(near(out.products, products, 1e-9), "adjusted scores");
      check(near(out.own, own, 1e-9), "a cluster's part in its own");
      check(near(Eigen::Map<const VectorXd>(out.moments.data(), 16), moments, 1e-8), "moments of the reference distribution");
      check(near(out.lost, lost, 1e-9) && out.lost_in == std::vector<int>{1}, "what pseudo-inverses leave out");
    }
    // Leaving a cluster out, but for the one that alone tells a direction.
    MatrixXd changes(2, G);
    wavetax::cluster_changes(Z.data(), e.data(), n, pick, as_groups(codes, G), changes.data(), 2);
    for (int g = 1; g <= G; ++g) {
      MatrixXd N = MatrixXd::Identity(r, r);
      VectorXd score = VectorXd::Zero(r);
      for (Index i = 0; i < n; ++i)
        if (codes[static_cast<std::size_t>(i)] == g) {
          N -= Z.row(i).transpose() * Z.row(i);
          score += Z.row(i).transpose() * e(i);
        }
      if (g == 1) check(changes.col(0).array().isNaN().all(), "a coefficient that one cluster tells is lost without it");
      else check(near(changes.col(g - 1), pick.transpose() * N.ldlt().solve(score), 1e-9), "changes without a cluster");
    }
  }
}

Index dense_rank(const std::vector<std::vector<int>>& codes, const std::vector<std::size_t>& counts) {
  Index width = 0;
  for (const std::size_t count : counts) width += static_cast<Index>(count);
  MatrixXd D = MatrixXd::Zero(static_cast<Index>(codes[0].size()), width);
  Index offset = 0;
  for (std::size_t s = 0; s < codes.size(); ++s) {
    for (std::size_t i = 0; i < codes[s].size(); ++i) D(static_cast<Index>(i), offset + codes[s][i] - 1) = 1.0;
    offset += static_cast<Index>(counts[s]);
  }
  return Eigen::FullPivHouseholderQR<MatrixXd>(D).setThreshold(1e-9).rank();
}

void ranks() {
  for (int trial = 0; trial < 40; ++trial) {
    const std::size_t n = 10 + static_cast<std::size_t>(trial);
    const std::vector<std::size_t> counts{6, 5, 4, 3};
    std::vector<std::vector<int>> codes;
    for (const std::size_t count : counts) codes.push_back(groups_of(n, static_cast<int>(count), false));
    if (trial % 3 == 0)  // the third set is a function of the second's, in part
      for (std::size_t i = 0; i < n; ++i) codes[2][i] = (codes[1][i] + (trial % 2)) % 4 + 1;
    if (trial % 4 == 0) codes[3] = std::vector<int>(codes[2].begin(), codes[2].end());
    if (trial % 4 == 0)
      for (int& one : codes[3]) one = (one - 1) % 3 + 1;
    std::vector<const int*> pointers;
    for (const auto& one : codes) pointers.push_back(one.data());
    std::vector<int> a(counts[0]), b(counts[1]);
    const int parts = wavetax::components(pointers[0], pointers[1], n, counts[0], counts[1], a.data(), b.data());
    const Index pair = static_cast<Index>(counts[0] + counts[1]) - parts, dense = dense_rank(codes, counts);
    check(dense_rank({codes[0], codes[1]}, {counts[0], counts[1]}) == pair, "rank of two sets");
    check(pair + wavetax::further_rank(pointers, counts, n, 1e12) == dense, "rank of four sets along cycles");
    check(6 + wavetax::reduced_rank(pointers, counts, n, 1e12) == dense, "rank of four sets from differences");
    check(wavetax::further_rank(pointers, counts, n, 1.0) == -1, "a rank beyond the budget");
    // Rows without which the graph falls apart.
    std::vector<std::size_t> found;
    for (std::size_t out = 0; out < n; ++out) {
      std::vector<int> first = codes[0], second = codes[1];
      first.erase(first.begin() + static_cast<std::ptrdiff_t>(out));
      second.erase(second.begin() + static_cast<std::ptrdiff_t>(out));
      if (wavetax::components(first.data(), second.data(), n - 1, counts[0], counts[1], a.data(), b.data()) > parts)
        found.push_back(out);
    }
    std::vector<std::size_t> told = wavetax::bridges(as_groups(codes[0], 6), as_groups(codes[1], 5), n);
    std::sort(told.begin(), told.end());
    check(told == found, "bridges");
    wavetax::CutCertificate certificate;
    for (std::size_t i = 0; i < n; ++i) certificate.add(codes[0][i], codes[1][i]);
    const auto& edges = certificate.edges();
    std::vector<int> first, second;
    for (const auto& edge : edges) {
      first.push_back(edge.first);
      second.push_back(edge.second);
    }
    check(wavetax::bridges(as_groups(first, 6), as_groups(second, 5), edges.size()).size() == found.size(),
          "bridges from the edges of two forests");
  }
}

// Of many levels on both sides: a ring of them, whose rows lie on one cycle, and a path, whose rows are all bridges.
void long_graphs() {
  const int levels = 1500;
  for (const bool ring : {true, false}) {
    std::vector<int> first, second;
    for (int i = 1; i <= levels; ++i) {
      first.insert(first.end(), {i, i});
      second.insert(second.end(), {i, ring ? i % levels + 1 : std::min(i + 1, levels)});
    }
    if (!ring) {
      first.pop_back();
      second.pop_back();
    }
    const std::size_t n = first.size();
    check(wavetax::bridges(as_groups(first, levels), as_groups(second, levels), n).size() == (ring ? 0 : n),
          "bridges of long graphs");
  }
}

// Of each swept column its squares, and the squares of the second set's means left in it.
MatrixXd what_is_left(const wavetax::SweptColumns& swept, const MatrixXd& data, const std::vector<int>& a,
                      const std::vector<int>& b, int B) {
  const Index n = data.rows(), width = data.cols();
  MatrixXd out = MatrixXd::Zero(2, width);
  for (Index c = 0; c < width; ++c) {
    VectorXd sums = VectorXd::Zero(B), counts = VectorXd::Zero(B);
    for (Index i = 0; i < n; ++i) {
      const std::size_t row = static_cast<std::size_t>(i), column = static_cast<std::size_t>(c);
      const double left = data(i, c) - swept.levels[0][(static_cast<std::size_t>(a[row]) - 1) * 8 + column] -
                          swept.levels[1][(static_cast<std::size_t>(b[row]) - 1) * 8 + column];
      out(0, c) += left * left;
      sums(b[row] - 1) += left;
      counts(b[row] - 1) += 1.0;
    }
    for (Index g = 0; g < B; ++g)
      if (counts(g) > 0.0) out(1, c) += sums(g) * sums(g) / counts(g);
  }
  return out;
}

// What is left in swept columns is what the rows say, whether the iteration got there or not.
void honest() {
  const std::size_t n = 3000;
  const int A = 300, B = 280;
  const std::vector<int> a = groups_of(n, A, false), b = groups_of(n, B, false);
  MatrixXd data = normals(static_cast<Index>(n), 8);
  for (Index c = 4; c < 8; ++c)  // the last block is held by the first set alone
    for (std::size_t i = 0; i < n; ++i) data(static_cast<Index>(i), c) = std::sin(static_cast<double>(a[i] * (c + 1)));
  const MatrixXd hard = data;
  for (const bool hard_first : {true, false}) {
    for (Index c = 0; c < 8; ++c) data.col(c) = hard.col(hard_first ? c : 7 - c);
    wavetax::Rows rows;
    rows.n = n;
    for (Index c = 0; c < 8; ++c) rows.columns.push_back(data.col(c).data());
    const std::vector<wavetax::EffectSet> sets{{as_groups(a, A), {nullptr}, 0.0}, {as_groups(b, B), {nullptr}, 0.0}};
    for (const std::size_t most : {std::size_t{2}, std::size_t{6}, std::size_t{500}}) {
      wavetax::SolverOptions options;
      options.dense_limit = 0;
      options.max_iterations = most;
      const wavetax::EffectSystem system(sets, n, nullptr, 8, options);
      const wavetax::SweptColumns swept = system.solve(system.sums(rows, wavetax::Numbers(8, 0.0)));
      check(swept.converged == (most == 500), "one column that did not converge is enough");
      const MatrixXd left = what_is_left(swept, data, a, b, B);
      double worst = 0.0;
      wavetax::Numbers squares(8);
      for (Index c = 0; c < 8; ++c) {
        squares[static_cast<std::size_t>(c)] = left(0, c);
        if (left(0, c) > 1e-12) worst = std::max(worst, std::sqrt(left(1, c) / left(0, c)));
      }
      const MatrixXd values = normals(2, B);
      MatrixXd by_first = MatrixXd::Zero(2, A);
      for (std::size_t i = 0; i < n; ++i) by_first.col(a[i] - 1) += values.col(b[i] - 1);
      const wavetax::Numbers flat(values.data(), values.data() + values.size());
      check(std::abs(system.squared_sums_by_first(flat, 2) - by_first.squaredNorm()) < 1e-8 * by_first.squaredNorm(),
            "squared sums of the others' values by group of the first");
      const double told = swept.achieved(squares);
      check(most == 500 ? told < 1e-9 : std::abs(told - worst) < 1e-6 * worst, "the residual that is told is the rows'");
    }
  }
}

}  // namespace

int main() {
  robust();
  clustered();
  lagged();
  wild();
  adjusted();
  ranks();
  long_graphs();
  honest();
  std::printf("%d passed, %d failed\n", passed, failed);
  return failed > 0;
}
