// Tests of the C++ core, without R.
#include "check.hpp"

namespace {

// A small uneven panel, two regressors and an outcome.
struct Sample {
  Eigen::MatrixXd data;
  std::vector<int> codes;
  Eigen::VectorXd weights;

  explicit Sample(int n, bool sorted = true) : data(n, 3), codes(n), weights(n) {
    std::mt19937 random(7);
    std::normal_distribution<double> normal;
    std::uniform_int_distribution<int> group(1, std::max(1, n / 6));
    for (int i = 0; i < n; ++i) {
      codes[i] = group(random);
      weights(i) = 0.5 + std::abs(normal(random));
    }
    if (sorted) std::sort(codes.begin(), codes.end());
    for (int i = 0; i < n; ++i) {
      data(i, 0) = normal(random) + 0.3 * codes[i];
      data(i, 1) = normal(random) + 5.0;
      data(i, 2) = 2.0 * data(i, 0) - data(i, 1) + normal(random);
    }
  }

  int groups() const { return *std::max_element(codes.begin(), codes.end()); }
  wavetax::Groups by(int begin = 0) const {
    return {codes.data() + begin, static_cast<std::size_t>(groups()), std::is_sorted(codes.begin(), codes.end())};
  }

  wavetax::Rows rows(int begin, int end, bool weighted) const {
    wavetax::Rows out;
    out.n = end - begin;
    for (int c = 0; c < 3; ++c) out.columns.push_back(data.col(c).data() + begin);
    if (weighted) out.weights = weights.data() + begin;
    return out;
  }
};

Eigen::MatrixXd squared(const wavetax::Triangle& t) {
  return t.matrix().transpose() * t.matrix();
}

Eigen::MatrixXd within_products(const Sample& s, bool weighted) {
  Eigen::MatrixXd total = Eigen::MatrixXd::Zero(3, 3);
  for (int g = 1; g <= s.groups(); ++g) {
    Eigen::RowVectorXd sum = Eigen::RowVectorXd::Zero(3);
    double weight = 0.0;
    for (std::size_t i = 0; i < s.codes.size(); ++i)
      if (s.codes[i] == g) {
        const double w = weighted ? s.weights(i) : 1.0;
        sum += w * s.data.row(i);
        weight += w;
      }
    for (std::size_t i = 0; i < s.codes.size(); ++i)
      if (s.codes[i] == g) {
        const double w = weighted ? s.weights(i) : 1.0;
        const Eigen::RowVectorXd d = s.data.row(i) - sum / weight;
        total += w * d.transpose() * d;
      }
  }
  return total;
}

void triangles() {
  const Sample s(700);
  wavetax::Sweep as_is;
  const wavetax::Triangle whole = wavetax::accumulate_triangle(s.rows(0, 700, false), as_is, 1);
  check(near(squared(whole), s.data.transpose() * s.data), "R'R is X'X");
  wavetax::Triangle merged(3);
  for (int begin : {0, 100, 350, 351})
    merged.merge(wavetax::accumulate_triangle(
        s.rows(begin, begin == 0 ? 100 : begin == 100 ? 350 : begin == 350 ? 351 : 700, false), as_is, 1));
  check(near(squared(merged), squared(whole)), "merged pieces give the factor of the whole");
}

void one_way() {
  for (bool weighted : {false, true})
    for (bool sorted : {true, false}) {
      const Sample s(900, sorted);
      const auto state = wavetax::accumulate_one_way(s.rows(0, 900, weighted), s.by(), 1);
      check(near(squared(state.within), within_products(s, weighted)), "within products");
      // Pieces that cut through groups, merged in both orders of association.
      auto piece = [&](int begin, int end) {
        return wavetax::accumulate_one_way(s.rows(begin, end, weighted), s.by(begin), 1);
      };
      auto left = piece(0, 333);
      left.merge(piece(333, 600));
      left.merge(piece(600, 900));
      auto tail = piece(333, 600);
      tail.merge(piece(600, 900));
      auto right = piece(0, 333);
      right.merge(tail);
      check(near(squared(left.within), squared(state.within)), "merged states, left");
      check(near(squared(right.within), squared(state.within)), "merged states, right");
      using Means = Eigen::Map<const Eigen::VectorXd>;
      check(near(Means(left.means.data(), left.means.size()),
                 Means(state.means.data(), state.means.size())), "merged means");
    }
}

// Sums of what one walk gives, against the same written out; one thread and two, sorted or not.
void visiting() {
  const int n = 60000;
  const Eigen::Vector3d b(0.5, -2.0, 1.0);
  const Eigen::Matrix2d upper = (Eigen::Matrix2d() << 2.0, 1.0, 0.0, 3.0).finished();
  for (const bool sorted : {true, false}) {
    const Sample s(n, sorted);
    const wavetax::Rows rows = s.rows(0, n, true);
    const auto state = wavetax::accumulate_one_way(rows, s.by(), 1);
    wavetax::Sweep sweep = state.sweep(s.by());
    sweep.scale_by_weight = false;
    wavetax::View view;
    view.rows = &rows;
    view.sweep = &sweep;
    view.combination = b.data();
    Eigen::MatrixXd swept = s.data;
    for (int i = 0; i < n; ++i)
      for (int c = 0; c < 3; ++c) swept(i, c) -= state.means[(s.codes[i] - 1) * 3 + c];
    const Eigen::VectorXd e = swept * b;
    Eigen::MatrixXd scores = Eigen::MatrixXd::Zero(2, s.groups());
    Eigen::MatrixXd moments = Eigen::MatrixXd::Zero(3, s.groups());
    const Eigen::MatrixXd u = upper.transpose().inverse() * swept.leftCols(2).transpose();
    for (int i = 0; i < n; ++i) {
      scores.col(s.codes[i] - 1) += s.weights(i) * e(i) * u.col(i);
      moments.col(s.codes[i] - 1) += s.weights(i) * Eigen::Vector3d(e(i), swept(i, 2), 1.0);
    }
    for (const int threads : {1, 2}) {
      wavetax::Numbers out(n);
      wavetax::visit(view, wavetax::CombinationSink(out.data()), threads);
      check(near(Eigen::Map<Eigen::VectorXd>(out.data(), n), e), "combinations by row");
      auto sums = wavetax::visit(view, wavetax::ScoreSink(s.by(), upper), threads);
      check(near(Eigen::Map<const Eigen::MatrixXd>(sums.scores().data(), 2, s.groups()), scores), "scores by group");
      auto fitted = wavetax::visit(view, wavetax::MomentSink(s.by()), threads);
      check(near(Eigen::Map<const Eigen::MatrixXd>(fitted.sums().data(), 3, s.groups()), moments), "moments by group");
      check(std::abs(fitted.sums()[3 * s.groups() + 1] - (s.weights.array() * e.array() * swept.col(2).array()).sum()) <
                1e-6, "moments of all rows");
    }
  }
}

// A mean takes two rounds where a group is long and its values are far from zero: their sum passes
// what a double holds.
void averaging() {
  const int n = 40000;
  wavetax::Numbers value(n);
  std::vector<int> cycling(n), running(n);
  for (int i = 0; i < n; ++i) {
    value[i] = 1e15 + (i * 7919 % 997) * 0.875;
    cycling[i] = i % 4 + 1;
    running[i] = i / (n / 4) + 1;
  }
  wavetax::Rows rows;
  rows.n = n;
  rows.columns = {value.data()};
  for (const auto& codes : {cycling, running}) {
    std::vector<long double> exact(4, 0.0L);
    for (int i = 0; i < n; ++i) exact[codes[i] - 1] += static_cast<long double>(value[i]) / (n / 4);
    wavetax::OneWayState state(4, 1);
    state.average(rows, {codes.data(), 4, wavetax::is_sorted(codes.data(), n)}, 1);
    double worst = 0.0;
    for (int g = 0; g < 4; ++g) worst = std::max(worst, static_cast<double>(std::fabs(state.means[g] - exact[g])));
    check(worst <= 0.26, "means of long groups far from zero, to rounding");
  }
}

void threads() {
  for (bool sorted : {true, false}) {
    const Sample s(200000, sorted);
    const auto rows = s.rows(0, 200000, false);
    const auto one = wavetax::accumulate_one_way(rows, s.by(), 1);
    const auto two = wavetax::accumulate_one_way(rows, s.by(), 2);
    check(one.within.matrix() == two.within.matrix() && one.means == two.means,
          "one and two threads give the same bits");
  }
}

void solving() {
  const Sample s(300);
  Eigen::MatrixXd x(300, 4);  // the third column is a combination of the first two
  x << s.data.leftCols(2), s.data.col(0) - 3.0 * s.data.col(1), s.data.col(2);
  const Eigen::MatrixXd r = Eigen::HouseholderQR<Eigen::MatrixXd>(x).matrixQR().topRows(4)
                                .triangularView<Eigen::Upper>();
  const auto solution = wavetax::solve_triangle(r, 3, Eigen::VectorXd(), 1e-9);
  check(solution.kept[2] == wavetax::Kept::combination, "a combination is dropped");
  check(near(solution.combination.col(2), Eigen::Vector2d(1.0, -3.0), 1e-9), "and told");
  const Eigen::VectorXd b = s.data.leftCols(2).colPivHouseholderQr().solve(s.data.col(2));
  check(near(solution.coefficients, b), "coefficients");
  check(std::abs(solution.ssr[0] - (s.data.col(2) - s.data.leftCols(2) * b).squaredNorm()) < 1e-9,
        "residual sum of squares");
  const auto two = wavetax::solve_triangle(r, 2, Eigen::VectorXd(), 1e-9);
  check(two.coefficients.cols() == 2 && near(two.coefficients.col(1), b) && two.ssr[0] < 1e-9,
        "several outcomes of one factor");
}

void keys() {
  const std::vector<int> x{5, -2, wavetax::missing_int, 5, 9};
  std::vector<int> codes(5), values;
  check(wavetax::rank_by_table(x.data(), 5, 100, codes.data(), values), "a narrow range is ranked");
  check(codes == std::vector<int>({2, 1, 0, 2, 3}) && values == std::vector<int>({-2, 5, 9}),
        "ranks in order of value, 0 where missing");
  const std::vector<int> wide{2000000000, 1}, sorted{1, 2000000000};
  check(!wavetax::rank_by_table(wide.data(), 2, 100, codes.data(), values), "a wide range is not");
  check(wavetax::rank_by_table(sorted.data(), 2, 100, codes.data(), values) && codes[1] == 2,
        "unless it is sorted, which needs no table");
  const std::vector<int> entity{1, 1, 2}, clock{1, 2, 2}, again{2, 2, 2};
  check(!wavetax::any_repeated_cell(entity.data(), clock.data(), 3, 2, 2), "different cells");
  check(wavetax::any_repeated_cell(entity.data(), again.data(), 3, 2, 2), "a repeated cell");
}

// Two sets of effects on the sample: its own groups, and seven others.
void absorbing() {
  const int n = 400;
  const Sample sample(n);
  std::vector<int> second(n);
  for (int i = 0; i < n; ++i) second[i] = (i * i) % 7 + 1;
  const std::size_t N = sample.groups();
  Eigen::MatrixXd dummies = Eigen::MatrixXd::Zero(n, N + 7);
  for (int i = 0; i < n; ++i) dummies(i, sample.codes[i] - 1) = dummies(i, N + second[i] - 1) = 1.0;
  for (const bool weighted : {false, true}) {
    const wavetax::Rows rows = sample.rows(0, n, weighted);
    const Eigen::VectorXd root = weighted ? sample.weights.cwiseSqrt().eval() : Eigen::VectorXd::Ones(n).eval();
    const Eigen::MatrixXd data = root.asDiagonal() * sample.data, D = root.asDiagonal() * dummies;
    const Eigen::MatrixXd left = data - D * D.completeOrthogonalDecomposition().solve(data);
    const std::vector<wavetax::EffectSet> sets{{sample.by(), {nullptr}, 0.0}, {{second.data(), 7, false}, {nullptr}, 0.0}};
    for (const std::size_t limit : {std::size_t{100}, std::size_t{0}}) {
      wavetax::SolverOptions options;
      options.dense_limit = limit;
      const wavetax::EffectSystem system(sets, n, rows.weights, 3, options);
      const wavetax::SweptColumns swept = system.solve(system.sums(rows, {1.0, 2.0, 3.0}));
      check(swept.converged && near(squared(system.triangle(rows, swept)), left.transpose() * left, 1e-9),
            limit > 0 ? "two sets swept densely" : "two sets swept by iteration");
    }
    // A ridge: the factor of the swept rows and the levels is that of generalised least squares.
    const double u = 0.7, v = 0.2;
    Eigen::VectorXd variance(N + 7);
    variance << Eigen::VectorXd::Constant(N, u), Eigen::VectorXd::Constant(7, v);
    const Eigen::MatrixXd V = Eigen::MatrixXd::Identity(n, n) + D * variance.asDiagonal() * D.transpose();
    wavetax::EffectSystem shrunken(sets, n, rows.weights, 3, {});
    shrunken.shrink({1 / u, 1 / v});
    const wavetax::SweptColumns levels = shrunken.solve(shrunken.sums(rows, {0.0, 0.0, 0.0}));
    check(near(squared(shrunken.triangle(rows, levels)), data.transpose() * V.ldlt().solve(data), 1e-9), "shrunken levels");
    check(std::abs(shrunken.log_determinant() - V.ldlt().vectorD().array().log().sum()) < 1e-8, "log determinant");
  }
  std::vector<int> a(N), b(7);
  const int parts = wavetax::components(sample.codes.data(), second.data(), n, N, 7, a.data(), b.data());
  check(static_cast<int>(N) + 7 - parts == dummies.colPivHouseholderQr().rank(), "rank from components");
}

// A step of the iteration from counts is the one from rows: on uneven groups, some of them empty.
void counting() {
  const std::size_t n = 3000, N = 150, F = 30, Y = 6;
  std::vector<int> worker(n), firm(n), year(n);
  for (std::size_t i = 0; i < n; ++i) {
    worker[i] = static_cast<int>(i * i % 149) + 1;
    firm[i] = (worker[i] * 7 + static_cast<int>(i % 5 == 0)) % static_cast<int>(F) + 1;
    year[i] = static_cast<int>(i % (worker[i] % 2 == 0 ? 3 : Y)) + 1;
  }
  for (const double ridge : {0.0, 0.8}) {
    wavetax::Term first, second, third;
    first.groups = {worker.data(), N, false};
    second.groups = {firm.data(), F, false};
    third.groups = {year.data(), Y, false};
    first.ridge = second.ridge = ridge;
    third.offset = F;
    const wavetax::RowOrder order(n, {first}, {second, third}, nullptr, 2);
    check(wavetax::CountedMatrix::make(order, F + Y, n) != nullptr, "counts pay");
    const wavetax::ReducedMatrix matrix(order, F + Y, false);
    wavetax::Numbers v((F + Y) * 4), by_rows, by_counts;
    for (std::size_t i = 0; i < v.size(); ++i) v[i] = std::sin(static_cast<double>(i));
    matrix.times<4>(v, by_rows);
    matrix.step<4>(v, by_counts);
    double worst = 0.0;
    for (std::size_t i = 0; i < v.size(); ++i) worst = std::max(worst, std::abs(by_rows[i] - by_counts[i]));
    check(worst < 1e-10, "a step from counts");
  }
}

void preconditioning() {
  // A path has no cycles: its factor is exact.
  std::vector<wavetax::Edge> edges;
  Eigen::MatrixXd L = Eigen::MatrixXd::Zero(6, 6);
  for (int i = 0; i < 5; ++i) {
    const double w = 1.0 + i;
    edges.push_back({i, i + 1, w});
    L(i, i) += w;
    L(i + 1, i + 1) += w;
    L(i, i + 1) = L(i + 1, i) = -w;
  }
  Eigen::VectorXd right(6), x;
  right << 1, -2, 3, -1, 0.5, -1.5;
  x = right;
  wavetax::LaplacianFactor(edges, 6).solve<1>(x.data());
  check(near(L * x, right), "the Laplacian of a tree is solved exactly");
  for (const std::vector<char>& out : {std::vector<char>(), std::vector<char>{0, 0, 1, 0, 0, 0}}) {
    const wavetax::Cholesky factor(L, wavetax::Numbers(6, 1.0), out, out.empty() ? 1e-10 : 0.0, 1);
    check(factor.rank() == 5, "a Laplacian's rank");
    wavetax::Numbers y(right.data(), right.data() + 6);
    factor.solve(y, 1);
    check(near(L * Eigen::Map<Eigen::VectorXd>(y.data(), 6), right), "a consistent singular system is solved");
  }
  // Wider than a panel and a strip of the blocked factorisation.
  const Eigen::MatrixXd B = Eigen::MatrixXd::Random(300, 230);
  const Eigen::MatrixXd singular = B * B.transpose();
  const wavetax::Cholesky part(singular, wavetax::Numbers(300, 80.0), {}, 1e-10, 2);
  check(part.rank() == 230, "pivots tell the rank");
  const Eigen::VectorXd consistent = singular * Eigen::VectorXd::LinSpaced(300, -1, 2);
  wavetax::Numbers answer(consistent.data(), consistent.data() + 300);
  part.solve(answer, 1);
  check(near(singular * Eigen::Map<Eigen::VectorXd>(answer.data(), 300), consistent, 1e-8),
        "a consistent singular system, blocked");
  const Eigen::MatrixXd A = B * B.transpose() + Eigen::MatrixXd(Eigen::VectorXd::LinSpaced(300, 1, 2).asDiagonal());
  const wavetax::Cholesky wide(A, wavetax::Numbers(300, 1.0), {}, 1e-10, 2);
  const wavetax::Numbers inverse = wide.inverse();
  check(near(A * Eigen::Map<const Eigen::MatrixXd>(inverse.data(), 300, 300), Eigen::MatrixXd::Identity(300, 300), 1e-9),
        "blocked factor inverts");
  check(std::abs(wide.log_determinant() - Eigen::LLT<Eigen::MatrixXd>(A).matrixLLT().diagonal().array().log().sum() * 2) <
            1e-9,
        "log determinant");
}

void columns() {
  const wavetax::Numbers first{1, 2, 3}, third{7, 8, 9};
  wavetax::Numbers out(9);
  wavetax::interleave<double>({first.data(), nullptr, third.data()}, 3, -1.0, out.data(), 1);
  check(out == wavetax::Numbers({1, -1, 7, 2, -1, 8, 3, -1, 9}), "columns interleaved");
  const wavetax::Numbers x{5, 1, 9, 4, 2};
  const std::vector<int> codes{1, 1, 1, 2, 1};
  check(wavetax::ratios_to_median(x.data(), codes.data(), 5, 2, 2) == wavetax::Numbers({2.5, 0.5, 4.5, 1, 1}),
        "ratios to lower medians, none for small groups");
}

// What a cell allows, and its value under a reading.
void numerals() {
  const wavetax::Words money{"kr", "US$"};
  const auto read = [&](const std::string& cell, wavetax::NumeralRoles roles = {}) {
    return wavetax::read_numeral(cell.data(), cell.data() + cell.size(), roles, money);
  };
  using wavetax::MarkRole;
  const wavetax::NumeralRoles comma{MarkRole::decimal, MarkRole::thousands}, point{MarkRole::thousands, MarkRole::decimal};
  for (const std::string cell : {"  ", " \xC2\xA0 ", "", " x", "x ", " \xE2\x80\x89x\xC2\xA0"}) {
    const char *at = cell.data(), *end = at + cell.size();
    wavetax::numeral::trim(at, end);
    const bool blank = cell.find('x') == std::string::npos;
    check(end - at == (blank ? 0 : 1) && at >= cell.data() && (blank || *at == 'x') && !(blank && read(cell).number),
          "blanks at both ends are left off, and no more");
  }
  check(read("1,021").marks & wavetax::comma_either && read("1,234,567").marks & wavetax::comma_thousands &&
            read("3,5").marks & wavetax::comma_decimal && read("0,125").marks & wavetax::comma_decimal,
        "what a comma can be");
  check(read("1,021", comma).value == 1.021 && read("1,021", point).value == 1021.0 && !read("1,02", point).number &&
            read("1.234,5").value == 1234.5 && read("12,34,567").value == 1234567.0 && !read("1,2,3").number,
        "marks read in their role");
  check(read(" US$ (1 200.50) ").value == -1200.5 && read("5-").value == -5.0 && read("\xE2\x88\x92" "5 kr").value == -5.0 &&
            !read("(5").number && !read("5 km").number && !read("--5").number && !read("31.03.2001").number,
        "signs, brackets and currencies");
  check(read("$5").value == 5.0 && read("5 \xE2\x82\xAC").value == 5.0 && !read("$5$").number && !read("$ 5 \xE2\x82\xAC").number,
        "one currency a number");
  check(read("12.3%", {MarkRole::open, MarkRole::open, true}).value == 0.123 && read("12.3%").value == 12.3, "percent");
  check(read("00157").marks & wavetax::zeros_before && read("123456789012345").marks & wavetax::many_digits &&
            !(read("0.5").marks & wavetax::zeros_before),
        "codes");
  check(read("1.7976931348623157e308").value == std::numeric_limits<double>::max() && read("4.9e-324").value > 0.0 &&
            read("0.1").value == 0.1 && read("9007199254740993").value == 9007199254740992.0,
        "values are correctly rounded");
}

}  // namespace

int main() {
  triangles();
  one_way();
  visiting();
  averaging();
  threads();
  solving();
  keys();
  absorbing();
  counting();
  preconditioning();
  columns();
  numerals();
  std::printf("%d passed, %d failed\n", passed, failed);
  return failed > 0;
}
