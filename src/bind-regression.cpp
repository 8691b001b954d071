#include "bindings.h"
#include "view.h"

#include <wavetax/levels.hpp>
#include <wavetax/oneway.hpp>
#include <wavetax/sinks.hpp>
#include <wavetax/solve.hpp>
#include <wavetax/triangle.hpp>
#include <wavetax/visit.hpp>

namespace {

Rcpp::List pack(const wavetax::OneWayState& state, int threads) {
  const Rcpp::NumericMatrix means = as_table(state.means, state.width, state.count, threads);
  return Rcpp::List::create(Rcpp::Named("weight") = state.weight, Rcpp::Named("means") = means,
                            Rcpp::Named("within") = ::pack(state.within.matrix()));
}

wavetax::OneWayState unpack_one_way(const Rcpp::List& state) {
  const Rcpp::NumericMatrix means = state["means"];
  const Rcpp::NumericVector weight = state["weight"];
  wavetax::OneWayState out(means.ncol(), means.nrow());
  std::copy(means.begin(), means.end(), out.means.begin());
  std::copy(weight.begin(), weight.end(), out.weight.begin());
  out.within = wavetax::Triangle(unpack(state["within"]));
  return out;
}

}  // namespace

// [[Rcpp::export(rng = false)]]
int cpp_available_threads() { return wavetax::available_threads(); }

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_triangle(Rcpp::List columns, SEXP weights, double n, SEXP centre, int threads) {
  const wavetax::Rows rows = as_rows(columns, weights, static_cast<R_xlen_t>(n));
  wavetax::Sweep as_is;
  as_is.scale_by_weight = true;
  if (centre != R_NilValue && static_cast<std::size_t>(Rf_xlength(centre)) != rows.width())
    Rcpp::stop("There is not one centre for each column.");
  as_is.centre = real_or_null(centre);
  return pack(wavetax::accumulate_triangle(rows, as_is, threads).matrix());
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_merge_triangles(Rcpp::NumericMatrix a, Rcpp::NumericMatrix b) {
  wavetax::Triangle out(unpack(a));
  out.merge(wavetax::Triangle(unpack(b)));
  return pack(out.matrix());
}

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_one_way(Rcpp::List columns, SEXP weights, Rcpp::List groups, double n, int threads) {
  const wavetax::Rows rows = as_rows(columns, weights, static_cast<R_xlen_t>(n));
  return pack(wavetax::accumulate_one_way(rows, as_groups(groups, static_cast<R_xlen_t>(n)), threads),
              threads);
}

// Means of the groups, and their weights.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_group_means(Rcpp::List columns, SEXP weights, Rcpp::List groups, double n, int threads) {
  const wavetax::Rows rows = as_rows(columns, weights, static_cast<R_xlen_t>(n));
  const wavetax::Groups by = as_groups(groups, static_cast<R_xlen_t>(n));
  wavetax::OneWayState state(by.count, rows.width());
  state.average(rows, by, threads);
  return pack(state, threads);
}

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_merge_one_way(Rcpp::List a, Rcpp::List b) {
  wavetax::OneWayState out = unpack_one_way(a);
  out.merge(unpack_one_way(b));
  return pack(out, 1);
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_group_triangle(Rcpp::NumericMatrix means, Rcpp::NumericVector scale,
                                       int threads) {
  return pack(wavetax::group_triangle(means.begin(), means.ncol(), means.nrow(), scale.begin(),
                                      threads)
                  .matrix());
}

// The regression of the last `outcomes` columns on the others: coefficients have a column an outcome.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_solve(Rcpp::NumericMatrix triangle, int outcomes, Rcpp::NumericVector own_norm,
                     double tolerance) {
  if (outcomes < 1 || outcomes > triangle.ncol()) Rcpp::stop("The factor has not that many outcomes.");
  const Eigen::VectorXd norm = Eigen::Map<const Eigen::VectorXd>(own_norm.begin(), own_norm.size());
  const wavetax::Solution solution =
      wavetax::solve_triangle(unpack(triangle), triangle.ncol() - outcomes, norm, tolerance);
  Rcpp::IntegerVector status(solution.kept.size());
  std::transform(solution.kept.begin(), solution.kept.end(), status.begin(),
                 [](wavetax::Kept kept) { return static_cast<int>(kept); });
  return Rcpp::List::create(
      Rcpp::Named("status") = status, Rcpp::Named("coefficients") = pack(solution.coefficients),
      Rcpp::Named("upper") = pack(solution.factor), Rcpp::Named("root") = pack(solution.root),
      Rcpp::Named("ssr") = solution.ssr, Rcpp::Named("combination") = pack(solution.combination));
}

// By row the combination that the view names.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_combination(Rcpp::List view, int threads) {
  const RView rows(view);
  Rcpp::NumericVector out(Rcpp::no_init(static_cast<R_xlen_t>(rows.n())));
  wavetax::visit(*rows, wavetax::CombinationSink(out.begin()), threads);
  return out;
}

// By group the combination of its levels; `ones` is the place of those of the column of ones, 0 for none.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_combined_levels(Rcpp::NumericMatrix levels, Rcpp::NumericVector combination,
                                        Rcpp::NumericVector centre, int ones, int threads) {
  if (combination.size() != levels.nrow() || centre.size() != combination.size() || ones > levels.nrow())
    Rcpp::stop("The levels are not of the columns of the regression.");
  return Rcpp::wrap(wavetax::combined_levels(levels.begin(), levels.ncol(), levels.nrow(), combination.begin(),
                                             centre.begin(),
                                             ones > 0 ? static_cast<std::size_t>(ones - 1) : wavetax::not_stored,
                                             threads));
}

// By column the sum over groups of weight times level.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_weighted_level_sums(Rcpp::NumericMatrix levels, Rcpp::NumericVector weights, int threads) {
  if (weights.size() != levels.ncol()) Rcpp::stop("The weights are not one for each group.");
  return Rcpp::wrap(wavetax::weighted_level_sums(levels.begin(), weights.begin(), levels.ncol(), levels.nrow(),
                                                 threads));
}

// Sum over groups of scale^2 q q', q the coordinates of [1, means] in the basis of `factor`;
// `pick` names its columns, 0 the constant.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_coordinate_gram(Rcpp::NumericMatrix means, Rcpp::IntegerVector pick,
                                        Rcpp::NumericVector centre, Rcpp::NumericMatrix factor,
                                        Rcpp::NumericVector scale) {
  std::vector<std::size_t> columns;
  for (const int column : pick) {
    if (column < 0 || column > means.nrow()) Rcpp::stop("A column of the means does not exist.");
    columns.push_back(static_cast<std::size_t>(column));
  }
  return pack(wavetax::coordinate_gram(means.begin(), means.ncol(), means.nrow(), columns, centre.begin(),
                                       unpack(factor), scale.begin()));
}

// The rows of a matrix in the coordinates of `factor`.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_to_orthonormal(Rcpp::NumericMatrix factor, Rcpp::NumericMatrix rows) {
  Rcpp::NumericMatrix out = Rcpp::clone(rows);
  wavetax::to_orthonormal(unpack(factor), out.begin(), rows.nrow(), rows.nrow());
  return out;
}

// The columns after the sweep, without weights.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_swept(Rcpp::List view, int threads) {
  const RView rows(view);
  Rcpp::NumericMatrix out(Rcpp::no_init(static_cast<int>(rows.n()), static_cast<int>(rows.width())));
  wavetax::visit(*rows, wavetax::ColumnSink(out.begin(), rows.n()), threads);
  return out;
}

// R^-1 R^-T from R^-1, an upper triangle.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_square_root(Rcpp::NumericMatrix root) {
  const Eigen::MatrixXd r = unpack(root);
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(r.rows(), r.rows());
  out.selfadjointView<Eigen::Lower>().rankUpdate(r);
  out.triangularView<Eigen::StrictlyUpper>() = out.transpose();
  return pack(out);
}

// Of the view's combination f and its last column y: the sums by group (of w f, w y and w, a column a
// group) and the cross-products over all rows.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_fitted_moments(Rcpp::List view, Rcpp::List groups, int threads) {
  const RView rows(view);
  const wavetax::Groups by = as_groups(groups, static_cast<R_xlen_t>(rows.n()));
  wavetax::MomentSink moments = wavetax::visit(*rows, wavetax::MomentSink(by), threads);
  const wavetax::Numbers& sums = moments.sums();
  const std::size_t size = 3 * by.count;
  Rcpp::NumericMatrix products(2, 2);
  products(0, 0) = sums[size];
  products(0, 1) = products(1, 0) = sums[size + 1];
  products(1, 1) = sums[size + 2];
  return Rcpp::List::create(Rcpp::Named("groups") = as_table(sums, 3, by.count, threads), Rcpp::Named("products") = products);
}

// Of the sums by group that cpp_fitted_moments() gives, m = (f, y) / w their means: the sums of w m m' (ff, fy, yy), of m,
// of m m', and how many groups there are.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_moment_sums(Rcpp::NumericMatrix groups) {
  Rcpp::NumericVector out(9);
  for (R_xlen_t g = 0; g < groups.ncol(); ++g) {
    const double* const sums = groups.begin() + 3 * g;
    if (!(sums[2] > 0.0)) continue;
    const double f = sums[0] / sums[2], y = sums[1] / sums[2];
    const double added[9] = {sums[2] * f * f, sums[2] * f * y, sums[2] * y * y, f, y, f * f, f * y, y * y, 1.0};
    for (int i = 0; i < 9; ++i) out[i] += added[i];
  }
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_mean_moments(Rcpp::NumericMatrix means, Rcpp::NumericVector sizes,
                                     Rcpp::NumericVector combination, Rcpp::NumericVector centre) {
  if (means.ncol() != sizes.size() || combination.size() != means.nrow() || centre.size() != means.nrow())
    Rcpp::stop("The means are not of the columns of the regression.");
  return Rcpp::wrap(wavetax::mean_moments(means.begin(), means.ncol(), means.nrow(), sizes.begin(),
                                          combination.begin(), centre.begin()));
}
