#include "bindings.h"

#include <wavetax/effect-system.hpp>
#include <wavetax/rank.hpp>

namespace {

void check_interrupt(void*) { R_CheckUserInterrupt(); }
bool interrupted() { return !R_ToplevelExec(check_interrupt, nullptr); }

using System = Rcpp::XPtr<wavetax::EffectSystem>;
using Sums = Rcpp::XPtr<wavetax::ColumnSums>;

std::vector<wavetax::EffectSet> as_sets(const Rcpp::List& sets, R_xlen_t n) {
  std::vector<wavetax::EffectSet> out;
  for (R_xlen_t s = 0; s < sets.size(); ++s) {
    const Rcpp::List set = sets[s];
    wavetax::EffectSet one;
    one.groups = as_groups(set["groups"], n);
    one.ridge = Rcpp::as<double>(set["ridge"]);
    const Rcpp::List loadings = set["loadings"];
    for (R_xlen_t l = 0; l < loadings.size(); ++l) {
      SEXP loading = loadings[l];
      if (loading != R_NilValue && (TYPEOF(loading) != REALSXP || Rf_xlength(loading) != n))
        Rcpp::stop("A loading is not a number for each row.");
      one.loadings.push_back(real_or_null(loading));
    }
    out.push_back(one);
  }
  return out;
}

Rcpp::NumericMatrix as_matrix(const wavetax::Numbers& values, std::size_t rows) {
  Rcpp::NumericMatrix out(rows, values.size() / rows);
  std::copy(values.begin(), values.end(), out.begin());
  return out;
}

Rcpp::RObject matrix_or_null(const wavetax::Numbers& values, std::size_t rows) {
  if (values.empty()) return R_NilValue;
  return as_matrix(values, rows);
}

}  // namespace

// Sets are lists of groups, loadings (a list of vectors, NULL for ones) and ridge, the one to
// eliminate first. The system refers to their vectors, which live as long as it does.
// [[Rcpp::export(rng = false)]]
SEXP cpp_effect_system(Rcpp::List sets, SEXP weights, double n, double columns, double tolerance,
                       double max_iterations, double dense_limit, int threads) {
  wavetax::SolverOptions options;
  options.tolerance = tolerance;
  options.max_iterations = static_cast<std::size_t>(max_iterations);
  options.dense_limit = static_cast<std::size_t>(dense_limit);
  options.threads = threads;
  options.stop = interrupted;
  const Rcpp::List none;
  const wavetax::Rows rows = as_rows(none, weights, static_cast<R_xlen_t>(n));
  return System(new wavetax::EffectSystem(as_sets(sets, static_cast<R_xlen_t>(n)), rows.n, rows.weights,
                                          static_cast<std::size_t>(columns), options),
                true, R_NilValue, Rcpp::List::create(sets, weights));
}

// Gives back the memory of a system that is not wanted any more, and not only when R collects it.
// [[Rcpp::export(rng = false)]]
void cpp_effect_release(SEXP system) { System(system).release(); }

// What the system is, whatever is swept.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_effect_facts(SEXP system) {
  const System effects(system);
  return Rcpp::List::create(Rcpp::Named("dense") = effects->is_dense(), Rcpp::Named("counted") = effects->is_counted(),
                            Rcpp::Named("rank") = static_cast<double>(effects->rank()),
                            Rcpp::Named("first_rank") = static_cast<double>(effects->first_rank()),
                            Rcpp::Named("unknowns") = static_cast<double>(effects->unknowns()));
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_effect_inverse(SEXP system) {
  const System effects(system);
  if (effects->unknowns() == 0 || !effects->is_dense()) Rcpp::stop("The system was not made whole.");
  return as_matrix(effects->inverse(), effects->unknowns());
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_effect_leverage(SEXP system) { return Rcpp::wrap(System(system)->leverage()); }

// [[Rcpp::export(rng = false)]]
void cpp_effect_reweight(SEXP system, Rcpp::NumericVector weights, double n) {
  const Rcpp::List none;
  const wavetax::Rows rows = as_rows(none, weights, static_cast<R_xlen_t>(n));
  System effects(system);
  const Rcpp::List held = R_ExternalPtrProtected(system);
  R_SetExternalPtrProtected(system, Rcpp::List::create(held[0], weights));
  effects->reweight(rows.weights);
}

// The same groups with random effects. `log_determinant` is that of I + D S D'.
// [[Rcpp::export(rng = false)]]
double cpp_effect_shrink(SEXP system, Rcpp::NumericVector ridges) {
  System effects(system);
  effects->shrink(wavetax::Numbers(ridges.begin(), ridges.end()));
  return effects->is_dense() ? effects->log_determinant() : NA_REAL;
}

// What sweeping needs to know of columns: `pointer` for cpp_effect_sweep(); `means` of the first set's
// groups where it has levels and nothing else.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_effect_sums(SEXP system, Rcpp::List columns, double n, Rcpp::NumericVector centre, int threads) {
  if (centre.size() != columns.size()) Rcpp::stop("The centre is not one number for each column.");
  const System effects(system);
  const wavetax::Rows rows = as_rows(columns, R_NilValue, static_cast<R_xlen_t>(n));
  const Sums sums(new wavetax::ColumnSums(effects->sums(rows, wavetax::Numbers(centre.begin(), centre.end()))));
  Rcpp::RObject means;
  if (effects->only_levels_first())
    means = as_table(sums->levels[0], sums->width, sums->levels[0].size() / sums->width, threads, centre.begin());
  return Rcpp::List::create(Rcpp::Named("pointer") = sums, Rcpp::Named("squares") = sums->squares,
                            Rcpp::Named("means") = means);
}

// Columns swept of the effects, and with `ones` the column of ones in front of them. Sums that are not
// wanted `again` are used up.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_effect_sweep(SEXP system, SEXP sums, Rcpp::List columns, double n, bool ones, bool again, int threads) {
  const System effects(system);
  const Sums known(sums);
  if (known->levels.empty()) Rcpp::stop("The sums were used up.");
  if (!effects->fits(*known)) Rcpp::stop("The sums are of other effects.");
  wavetax::Rows rows = as_rows(columns, R_NilValue, static_cast<R_xlen_t>(n));
  const wavetax::SweptColumns swept = again ? effects->solve(*known, ones) : effects->solve(std::move(*known), ones);
  if (swept.stopped) throw Rcpp::internal::InterruptedException();
  if (ones) rows.columns.insert(rows.columns.begin(), nullptr);
  Rcpp::List levels(swept.levels.size());
  for (std::size_t t = 0; t < swept.levels.size(); ++t)
    levels[t] = as_table(swept.levels[t], swept.width, swept.levels[t].size() / swept.width, threads);
  const Eigen::MatrixXd within = effects->triangle(rows, swept).matrix();
  wavetax::Numbers left(swept.width);
  for (std::size_t c = 0; c < swept.width; ++c) left[c] = within.col(static_cast<Eigen::Index>(c)).squaredNorm();
  return Rcpp::List::create(
      Rcpp::Named("levels") = levels, Rcpp::Named("within") = pack(within),
      Rcpp::Named("converged") = swept.converged, Rcpp::Named("iterations") = static_cast<double>(swept.iterations),
      Rcpp::Named("achieved") = swept.achieved(left),
      Rcpp::Named("shared") = matrix_or_null(swept.explained_by_others, swept.width));
}

// Of two sets, by level of the second: `carried`, the sums over its rows of the means (less the centre)
// of their groups in the first, and `left`, of what these leave.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_effect_other_sums(SEXP system, SEXP sums) {
  const Sums known(sums);
  if (known->levels.empty()) Rcpp::stop("The sums were used up.");
  return Rcpp::List::create(Rcpp::Named("carried") = as_matrix(System(system)->carried_to_others(*known), known->width),
                            Rcpp::Named("left") = as_matrix(known->right, known->width));
}

// Of two sets, the sum over groups of the first of the squared sums of their rows' values, which are a
// column a level of the second.
// [[Rcpp::export(rng = false)]]
double cpp_effect_squared_sums(SEXP system, Rcpp::NumericMatrix values) {
  const System effects(system);
  if (static_cast<std::size_t>(values.ncol()) != effects->unknowns()) Rcpp::stop("The values are not one for each level.");
  return effects->squared_sums_by_first(wavetax::Numbers(values.begin(), values.end()), values.nrow());
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
