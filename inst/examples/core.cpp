// The core without R: a regression with effects of harbours and seasons, errors clustered by
// harbour, and a covariance of one's own. With Eigen's folder known as $EIGEN:
//   c++ -std=c++17 -Iinst/include -I$EIGEN inst/examples/core.cpp -o core && ./core
#include <wavetax.hpp>

#include <cmath>
#include <cstdio>
#include <random>

// A sink of one's own is all that a new covariance needs: the sum of u u' e^2 over rows.
struct SquaredScores {
  Eigen::MatrixXd upper, sum;

  std::vector<std::size_t> cuts(std::size_t n) const { return wavetax::even_cuts(n, wavetax::piece_rows); }
  SquaredScores part() const { return {upper, Eigen::MatrixXd::Zero(upper.cols(), upper.cols())}; }
  void add(wavetax::Block& block) {
    wavetax::to_orthonormal(upper, block.values, block.count);
    for (Eigen::Index a = 0; a < upper.cols(); ++a)
      for (Eigen::Index b = 0; b < upper.cols(); ++b)
        for (std::size_t i = 0; i < block.count; ++i)
          sum(a, b) += block.column(a)[i] * block.column(b)[i] * block.combined[i] * block.combined[i];
  }
  void merge(const SquaredScores& other) { sum += other.sum; }
  void finish() {}
};

int main() {
  // 96 harbours in 12 seasons; in truth a crown of levy costs 5 percent of the nights.
  constexpr int harbours = 96, seasons = 12;
  std::mt19937 random(11);
  std::normal_distribution<double> normal;
  std::vector<int> harbour, season;
  std::vector<double> levy, storms, nights;
  for (int h = 1; h <= harbours; ++h) {
    const double pleasant = normal(random);
    for (int t = 1; t <= seasons; ++t) {
      if ((7 * h + 5 * t) % 11 == 0) continue;  // unbalanced
      harbour.push_back(h);
      season.push_back(t);
      levy.push_back(10 + 2 * pleasant + normal(random));
      storms.push_back(5 + 0.3 * t + normal(random));
      nights.push_back(7 + 0.8 * pleasant + 0.02 * t - 0.05 * levy.back() - 0.01 * storms.back() + 0.1 * normal(random));
    }
  }
  wavetax::Rows rows;
  rows.n = nights.size();
  rows.columns = {levy.data(), storms.data(), nights.data()};
  const wavetax::Groups by_harbour{harbour.data(), harbours, true}, by_season{season.data(), seasons, false};

  // The effects, swept out of the columns.
  const wavetax::EffectSystem effects({{by_harbour, {nullptr}, 0.0}, {by_season, {nullptr}, 0.0}}, rows.n, nullptr, 3, {});
  const wavetax::SweptColumns swept = effects.solve(effects.sums(rows, {10.0, 7.0, 7.0}));
  const wavetax::Solution solution =
      wavetax::solve_triangle(effects.triangle(rows, swept).matrix(), 2, Eigen::VectorXd(), 1e-9);

  // One walk over the rows for each covariance; the residual is the combination (-b, 1).
  const std::vector<double> combination{-solution.coefficients(0, 0), -solution.coefficients(1, 0), 1.0};
  const wavetax::Sweep sweep = effects.sweep(swept);
  wavetax::View view;
  view.rows = &rows;
  view.sweep = &sweep;
  view.combination = combination.data();
  wavetax::ScoreSink clustered = wavetax::visit(view, wavetax::ScoreSink(by_harbour, solution.factor), 2);
  const SquaredScores robust =
      wavetax::visit(view, SquaredScores{solution.factor, Eigen::MatrixXd::Zero(2, 2)}, 2);
  using Scores = Eigen::Map<const Eigen::Matrix<double, 2, Eigen::Dynamic>>;
  const Scores scores(clustered.scores().data(), 2, harbours);
  const Eigen::MatrixXd by_cluster = solution.root * (scores * scores.transpose()) * solution.root.transpose();
  const Eigen::MatrixXd by_row = solution.root * robust.sum * solution.root.transpose();

  std::printf("wavetax %s: %zu rows, effects of rank %zu\n", WAVETAX_VERSION, rows.n,
              effects.first_rank() + effects.rank());
  const char* names[] = {"levy", "storms"};
  for (int j = 0; j < 2; ++j)
    std::printf("%-7s %.4f  clustered %.4f  robust %.4f\n", names[j], solution.coefficients(j, 0),
                std::sqrt(by_cluster(j, j)), std::sqrt(by_row(j, j)));
}
