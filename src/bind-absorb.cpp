#include "bindings.h"

#include <wavetax/absorb.hpp>
#include <wavetax/rank.hpp>

namespace {

void check_interrupt(void*) { R_CheckUserInterrupt(); }
bool interrupted() { return !R_ToplevelExec(check_interrupt, nullptr); }

std::vector<wavetax::EffectSet> as_sets(const Rcpp::List& sets, R_xlen_t n) {
  std::vector<wavetax::EffectSet> out;
  for (R_xlen_t s = 0; s < sets.size(); ++s) {
    const Rcpp::List set = sets[s];
    wavetax::EffectSet one;
    const double count = Rcpp::as<double>(set["count"]);
    one.codes = checked_codes(set["codes"], count, n);
    one.count = static_cast<std::size_t>(count);
    one.ridge = Rcpp::as<double>(set["ridge"]);
    const Rcpp::List loadings = set["loadings"];
    for (R_xlen_t l = 0; l < loadings.size(); ++l) one.loadings.push_back(real_or_null(loadings[l]));
    out.push_back(one);
  }
  return out;
}

Rcpp::NumericMatrix as_matrix(const std::vector<double>& values, std::size_t rows) {
  Rcpp::NumericMatrix out(rows, values.size() / rows);
  std::copy(values.begin(), values.end(), out.begin());
  return out;
}

}  // namespace

// Sets are lists of codes, count, loadings (a list of vectors, NULL for ones) and ridge, the
// one to eliminate first. `ones` is the place of the column of ones, 0 for none.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_absorb(Rcpp::List columns, SEXP weights, double n, Rcpp::List sets,
                      Rcpp::NumericVector centre, int ones, double tolerance, double max_iterations,
                      double dense_limit, int threads) {
  const wavetax::Rows rows = as_rows(columns, weights, static_cast<R_xlen_t>(n));
  wavetax::AbsorbOptions options;
  options.tolerance = tolerance;
  options.max_iterations = static_cast<std::size_t>(max_iterations);
  options.dense_limit = static_cast<std::size_t>(dense_limit);
  options.threads = threads;
  options.stop = interrupted;
  const wavetax::Absorber absorbed(rows, as_sets(sets, static_cast<R_xlen_t>(n)), std::vector<double>(centre.begin(), centre.end()),
                                   ones > 0 ? static_cast<std::size_t>(ones - 1) : wavetax::not_stored,
                                   options);
  if (absorbed.stopped) throw Rcpp::internal::InterruptedException();
  Rcpp::List levels(absorbed.levels.size());
  for (std::size_t t = 0; t < absorbed.levels.size(); ++t)
    levels[t] = as_matrix(absorbed.levels[t], rows.width());
  return Rcpp::List::create(
      Rcpp::Named("levels") = levels, Rcpp::Named("within") = pack(absorbed.triangle().matrix()),
      Rcpp::Named("dense") = absorbed.dense, Rcpp::Named("converged") = absorbed.converged,
      Rcpp::Named("iterations") = static_cast<double>(absorbed.iterations),
      Rcpp::Named("achieved") = absorbed.achieved, Rcpp::Named("counted") = absorbed.counted,
      Rcpp::Named("rank") = static_cast<double>(absorbed.rank),
      Rcpp::Named("first_rank") = static_cast<double>(absorbed.first_rank),
      Rcpp::Named("inverse") = absorbed.inverse.empty()
                                   ? R_NilValue
                                   : SEXP(as_matrix(absorbed.inverse, absorbed.unknowns)),
      Rcpp::Named("means") = absorbed.means.empty() ? R_NilValue : SEXP(as_matrix(absorbed.means, rows.width())),
      Rcpp::Named("shared") = absorbed.shared.empty() ? R_NilValue : SEXP(as_matrix(absorbed.shared, rows.width())),
      Rcpp::Named("squares") = absorbed.squares(),
      Rcpp::Named("log_determinant") = absorbed.log_determinant());
}

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_components(Rcpp::IntegerVector first, Rcpp::IntegerVector second, int count_first,
                          int count_second) {
  checked_codes(first, count_first, first.size());
  checked_codes(second, count_second, first.size());
  Rcpp::IntegerVector of_first(count_first), of_second(count_second);
  const int count = wavetax::components(first.begin(), second.begin(), first.size(), count_first,
                                        count_second, of_first.begin(), of_second.begin());
  return Rcpp::List::create(Rcpp::Named("count") = count, Rcpp::Named("first") = of_first,
                            Rcpp::Named("second") = of_second);
}

// What further sets add to the rank of the first two, or, `reduced`, all sets to that of the
// first.
// [[Rcpp::export(rng = false)]]
double cpp_further_rank(Rcpp::List codes, Rcpp::IntegerVector counts, double budget, bool reduced) {
  const R_xlen_t n = Rf_xlength(codes[0]);
  std::vector<const int*> in;
  for (R_xlen_t s = 0; s < codes.size(); ++s) in.push_back(checked_codes(codes[s], counts[s], n));
  const std::vector<std::size_t> sizes(counts.begin(), counts.end());
  return static_cast<double>(reduced ? wavetax::reduced_rank(in, sizes, n, budget)
                                     : wavetax::further_rank(in, sizes, n, budget));
}

// For each group of `to`, the sum over its rows of the values of their group `from`: values
// are a column a group.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_carried_sums(Rcpp::NumericMatrix values, Rcpp::IntegerVector from,
                                     Rcpp::IntegerVector to, int groups) {
  checked_codes(from, values.ncol(), from.size());
  checked_codes(to, groups, from.size());
  Rcpp::NumericMatrix out(values.nrow(), groups);
  for (R_xlen_t r = 0; r < from.size(); ++r)
    for (int c = 0; c < values.nrow(); ++c) out(c, to[r] - 1) += values(c, from[r] - 1);
  return out;
}
