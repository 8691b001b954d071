#include "bindings.h"

#include <wavetax/oneway.hpp>
#include <wavetax/scores.hpp>
#include <wavetax/solve.hpp>
#include <wavetax/triangle.hpp>

namespace {

Rcpp::List pack(const wavetax::OneWayState& state) {
  Rcpp::NumericMatrix means(state.width, state.groups);
  std::copy(state.means.begin(), state.means.end(), means.begin());
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

// Layers as R has them: lists of codes, levels (a column a group), theta and loading.
std::vector<wavetax::Layer> as_layers(const Rcpp::List& layers, R_xlen_t n) {
  std::vector<wavetax::Layer> out;
  for (R_xlen_t l = 0; l < layers.size(); ++l) {
    const Rcpp::List layer = layers[l];
    wavetax::Layer one;
    SEXP levels = layer["levels"];
    one.codes = checked_codes(layer["codes"], Rf_ncols(levels), n);
    one.levels = REAL(levels);
    one.width = static_cast<std::size_t>(Rf_nrows(levels));
    one.theta = real_or_null(layer["theta"]);
    one.loading = real_or_null(layer["loading"]);
    out.push_back(one);
  }
  return out;
}

}  // namespace

// [[Rcpp::export(rng = false)]]
int cpp_available_threads() { return wavetax::available_threads(); }

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_triangle(Rcpp::List columns, SEXP weights, double n, int threads) {
  const wavetax::Rows rows = as_rows(columns, weights, static_cast<R_xlen_t>(n));
  wavetax::Sweep as_is;
  as_is.scale_by_weight = true;
  return pack(wavetax::accumulate_triangle(rows, as_is, threads).matrix());
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_merge_triangles(Rcpp::NumericMatrix a, Rcpp::NumericMatrix b) {
  wavetax::Triangle out(unpack(a));
  out.merge(wavetax::Triangle(unpack(b)));
  return pack(out.matrix());
}

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_one_way(Rcpp::List columns, SEXP weights, Rcpp::IntegerVector codes, int groups,
                       bool sorted, int threads) {
  const wavetax::Rows rows = as_rows(columns, weights, codes.size());
  checked_codes(codes, groups, codes.size());
  return pack(wavetax::accumulate_one_way(rows, codes.begin(), groups, sorted, threads));
}

// Means of the groups, and their weights.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_group_means(Rcpp::List columns, SEXP weights, Rcpp::IntegerVector codes, int groups,
                           bool sorted, int threads) {
  const wavetax::Rows rows = as_rows(columns, weights, codes.size());
  checked_codes(codes, groups, codes.size());
  wavetax::OneWayState state(groups, rows.width());
  state.average(rows, codes.begin(), sorted, threads);
  return pack(state);
}

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_merge_one_way(Rcpp::List a, Rcpp::List b) {
  wavetax::OneWayState out = unpack_one_way(a);
  out.merge(unpack_one_way(b));
  return pack(out);
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_group_triangle(Rcpp::NumericMatrix means, Rcpp::NumericVector scale,
                                       int threads) {
  return pack(wavetax::group_triangle(means.begin(), means.ncol(), means.nrow(), scale.begin(),
                                      threads)
                  .matrix());
}

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_solve(Rcpp::NumericMatrix triangle, Rcpp::NumericVector own_norm,
                     double tolerance) {
  const Eigen::VectorXd norm = Eigen::Map<const Eigen::VectorXd>(own_norm.begin(), own_norm.size());
  const wavetax::Solution solution = wavetax::solve_triangle(unpack(triangle), norm, tolerance);
  Rcpp::IntegerVector status(solution.kept.size());
  std::transform(solution.kept.begin(), solution.kept.end(), status.begin(),
                 [](wavetax::Kept kept) { return static_cast<int>(kept); });
  return Rcpp::List::create(
      Rcpp::Named("status") = status,
      Rcpp::Named("coefficients") = std::vector<double>(
          solution.coefficients.data(), solution.coefficients.data() + solution.coefficients.size()),
      Rcpp::Named("upper") = pack(solution.factor), Rcpp::Named("root") = pack(solution.root),
      Rcpp::Named("ssr") = solution.ssr,
      Rcpp::Named("combination") = pack(solution.combination));
}

// `layers` are lists of codes, offsets and loading.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_residuals(Rcpp::List columns, Rcpp::NumericVector coefficients,
                                  Rcpp::NumericVector centre, Rcpp::List layers,
                                  double n, int threads) {
  const wavetax::Rows rows = as_rows(columns, R_NilValue, static_cast<R_xlen_t>(n));
  std::vector<wavetax::OffsetLayer> taken;
  for (R_xlen_t l = 0; l < layers.size(); ++l) {
    const Rcpp::List layer = layers[l];
    SEXP offsets = layer["offsets"];
    taken.push_back({checked_codes(layer["codes"], static_cast<double>(Rf_xlength(offsets)), static_cast<R_xlen_t>(n)),
                     REAL(offsets), real_or_null(layer["loading"])});
  }
  Rcpp::NumericVector out(Rcpp::no_init(static_cast<R_xlen_t>(n)));
  wavetax::residuals(rows, coefficients.begin(), centre.begin(), taken, out.begin(),
                     threads);
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_combined_levels(Rcpp::NumericMatrix levels, Rcpp::NumericVector coefficients,
                                        Rcpp::NumericVector centre, bool ones) {
  if (coefficients.size() + 1 + ones != levels.nrow() || centre.size() != coefficients.size() + 1)
    Rcpp::stop("The levels are not of the columns of the regression.");
  return Rcpp::wrap(wavetax::combined_levels(levels.begin(), levels.ncol(), levels.nrow(),
                                             coefficients.begin(), centre.begin(), ones));
}

// `pick` is the place of each column among the stored levels, 0 for the column of ones that
// is not stored; `factor` that of the regression, whose rows' coordinates are summed.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_cluster_scores(Rcpp::List columns, SEXP weights,
                                       Rcpp::NumericVector residuals,
                                       Rcpp::IntegerVector clusters, int count, bool sorted,
                                       Rcpp::List layers, Rcpp::IntegerVector pick, SEXP shift,
                                       Rcpp::NumericVector centre, Rcpp::NumericMatrix factor, int threads) {
  const wavetax::Rows rows = as_rows(columns, weights, residuals.size());
  checked_codes(clusters, count, residuals.size());
  wavetax::Sweep sweep;
  sweep.layers = as_layers(layers, residuals.size());
  for (const int column : pick)
    sweep.pick.push_back(column == 0 ? wavetax::not_stored : static_cast<std::size_t>(column - 1));
  sweep.shift = real_or_null(shift);
  sweep.centre = centre.begin();
  const std::vector<double> scores = wavetax::cluster_scores(
      rows, sweep, unpack(factor), residuals.begin(), clusters.begin(), count, sorted, threads);
  Rcpp::NumericMatrix out(rows.width(), count);
  std::copy(scores.begin(), scores.end(), out.begin());
  return out;
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
Rcpp::NumericMatrix cpp_swept(Rcpp::List columns, double n, Rcpp::List layers,
                              Rcpp::IntegerVector pick) {
  const wavetax::Rows rows = as_rows(columns, R_NilValue, static_cast<R_xlen_t>(n));
  wavetax::Sweep sweep;
  sweep.layers = as_layers(layers, static_cast<R_xlen_t>(n));
  for (const int column : pick)
    sweep.pick.push_back(column == 0 ? wavetax::not_stored : static_cast<std::size_t>(column - 1));
  Rcpp::NumericMatrix out(rows.n, rows.width());
  std::vector<double> block(wavetax::block_rows * rows.width());
  for (std::size_t at = 0; at < rows.n; at += wavetax::block_rows) {
    const std::size_t count = std::min(wavetax::block_rows, rows.n - at);
    sweep.fill(rows, at, count, block.data());
    for (std::size_t c = 0; c < rows.width(); ++c)
      std::copy_n(&block[c * wavetax::block_rows], count, &out(at, c));
  }
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

// Of x'b and y less their means: the sums by group (with the weights, a column a group) and the
// cross-products over all rows.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_fitted_moments(Rcpp::List columns, SEXP weights, Rcpp::NumericVector coefficients,
                              Rcpp::NumericVector centre, Rcpp::IntegerVector codes, int groups, int threads) {
  const wavetax::Rows rows = as_rows(columns, weights, codes.size());
  checked_codes(codes, groups, codes.size());
  if (coefficients.size() + 1 != columns.size() || centre.size() != columns.size())
    Rcpp::stop("The coefficients are not those of the columns.");
  const std::vector<double> sums = wavetax::fitted_moments(rows, coefficients.begin(), centre.begin(),
                                                           codes.begin(), groups, threads);
  const std::size_t size = 3 * static_cast<std::size_t>(groups);
  Rcpp::NumericMatrix by_group(3, groups), products(2, 2);
  std::copy_n(sums.begin(), size, by_group.begin());
  products(0, 0) = sums[size];
  products(0, 1) = products(1, 0) = sums[size + 1];
  products(1, 1) = sums[size + 2];
  return Rcpp::List::create(Rcpp::Named("groups") = by_group, Rcpp::Named("products") = products);
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_mean_moments(Rcpp::NumericMatrix means, Rcpp::NumericVector sizes,
                                     Rcpp::NumericVector coefficients, Rcpp::NumericVector centre) {
  if (means.ncol() != sizes.size() || coefficients.size() + 1 != means.nrow() || centre.size() != means.nrow())
    Rcpp::stop("The means are not of the columns of the regression.");
  return Rcpp::wrap(wavetax::mean_moments(means.begin(), means.ncol(), means.nrow(), sizes.begin(),
                                          coefficients.begin(), centre.begin()));
}
