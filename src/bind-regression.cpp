#include "bindings.h"

#include <wavetax/oneway.hpp>
#include <wavetax/scores.hpp>
#include <wavetax/solve.hpp>
#include <wavetax/triangle.hpp>

namespace {

Rcpp::NumericMatrix pack(const Eigen::MatrixXd& m) {
  Rcpp::NumericMatrix out(m.rows(), m.cols());
  std::copy(m.data(), m.data() + m.size(), out.begin());
  return out;
}

Eigen::MatrixXd unpack(const Rcpp::NumericMatrix& m) {
  return Eigen::Map<const Eigen::MatrixXd>(m.begin(), m.nrow(), m.ncol());
}

Rcpp::List pack(const wavetax::OneWayState& state) {
  Rcpp::NumericMatrix means(state.width, state.groups);
  std::copy(state.means.begin(), state.means.end(), means.begin());
  return Rcpp::List::create(Rcpp::Named("weight") = state.weight, Rcpp::Named("means") = means,
                            Rcpp::Named("within") = pack(state.within.matrix()));
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

wavetax::Sweep as_sweep(SEXP codes, SEXP means, Rcpp::IntegerVector pick, SEXP theta, SEXP shift) {
  wavetax::Sweep sweep;
  sweep.codes = int_or_null(codes);
  if (sweep.codes) {
    sweep.means = REAL(means);
    sweep.width = static_cast<std::size_t>(Rf_nrows(means));
    for (const int column : pick) sweep.pick.push_back(static_cast<std::size_t>(column - 1));
    sweep.theta = real_or_null(theta);
  }
  sweep.shift = real_or_null(shift);
  return sweep;
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
  return pack(wavetax::accumulate_one_way(rows, codes.begin(), groups, sorted, threads));
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
      Rcpp::Named("bread") = pack(solution.bread), Rcpp::Named("ssr") = solution.ssr,
      Rcpp::Named("combination") = pack(solution.combination));
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_residuals(Rcpp::List columns, Rcpp::NumericVector coefficients,
                                  double constant, Rcpp::NumericVector centre, SEXP codes,
                                  SEXP means, SEXP theta, double n, int threads) {
  const wavetax::Rows rows = as_rows(columns, R_NilValue, static_cast<R_xlen_t>(n));
  std::vector<double> offsets{constant};
  if (codes != R_NilValue)
    offsets = wavetax::residual_offsets(REAL(means), Rf_ncols(means), Rf_nrows(means),
                                        coefficients.begin(), centre.begin(), real_or_null(theta),
                                        constant);
  Rcpp::NumericVector out(Rcpp::no_init(static_cast<R_xlen_t>(n)));
  wavetax::residuals(rows, coefficients.begin(), centre.begin(), int_or_null(codes),
                     offsets.data(), out.begin(), threads);
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_cluster_scores(Rcpp::List columns, SEXP weights,
                                       Rcpp::NumericVector residuals,
                                       Rcpp::IntegerVector clusters, int count, bool sorted,
                                       SEXP codes, SEXP means, Rcpp::IntegerVector pick,
                                       SEXP theta, SEXP shift, int threads) {
  const wavetax::Rows rows = as_rows(columns, weights, residuals.size());
  Rcpp::NumericMatrix out(rows.width(), count);
  wavetax::cluster_scores(rows, as_sweep(codes, means, pick, theta, shift), residuals.begin(),
                          clusters.begin(), count, sorted, out.begin(), threads);
  return out;
}
