#include "bindings.h"

#include <wavetax/ar1.hpp>
#include <wavetax/loaded-levels.hpp>
#include <wavetax/serial-corrected.hpp>
#include <wavetax/sinks.hpp>

#include "view.h"

namespace {

// Rows by entity and clock: list(e, clock, start, root, z, nested, less_diagonal, less_pairs).
wavetax::SerialRows serial_rows(const Rcpp::List& rows) {
  wavetax::SerialRows out;
  SEXP e = rows["e"], clock = rows["clock"], z = rows["z"];
  out.n = static_cast<std::size_t>(Rf_xlength(e));
  if (TYPEOF(e) != REALSXP || TYPEOF(clock) != INTSXP || Rf_xlength(clock) != Rf_xlength(e))
    Rcpp::stop("Residuals and their clock do not go together.");
  out.e = REAL(e);
  out.clock = INTEGER(clock);
  out.root = real_or_null(rows["root"]);
  const Rcpp::NumericVector start = rows["start"];
  for (const double first : start) out.start.push_back(static_cast<std::size_t>(first));
  if (out.start.empty() || out.start.back() != out.n) Rcpp::stop("Entities do not end where the rows do.");
  if (z != R_NilValue) {
    out.z = REAL(z);
    out.r = out.n == 0 ? 0 : static_cast<std::size_t>(Rf_xlength(z)) / out.n;
  }
  const Rcpp::List nested = rows["nested"];
  for (R_xlen_t s = 0; s < nested.size(); ++s) {
    const Rcpp::List one = nested[s];
    wavetax::NestedSet set;
    SEXP codes = one["codes"];
    if (TYPEOF(codes) != INTSXP || Rf_xlength(codes) != Rf_xlength(e)) Rcpp::stop("Codes are not those of the rows.");
    set.codes = INTEGER(codes);
    const Rcpp::List loadings = one["loadings"];
    for (R_xlen_t l = 0; l < loadings.size(); ++l) {
      SEXP loading = loadings[l];
      if (loading != R_NilValue && (TYPEOF(loading) != REALSXP || Rf_xlength(loading) != Rf_xlength(e)))
        Rcpp::stop("A loading is not that of the rows.");
      set.loadings.push_back(real_or_null(loading));
    }
    out.nested.push_back(set);
  }
  out.less_diagonal = real_or_null(rows["less_diagonal"]);
  out.less_pairs = real_or_null(rows["less_pairs"]);
  return out;
}

}  // namespace

// list(forms, by lag that under variances by row and by entity: list(diagonal, z, told, own, others); autocorrelation:
// list(pairs, all, by ticks apart, and what they are of the residuals)). See SerialForms.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_serial_forms(Rcpp::List rows, Rcpp::IntegerVector lags, bool apart, int threads) {
  const wavetax::SerialForms done =
      wavetax::serial_forms(serial_rows(rows), Rcpp::as<std::vector<int>>(lags), apart, threads);
  Rcpp::List forms(static_cast<R_xlen_t>(done.forms.size()));
  for (std::size_t f = 0; f < done.forms.size(); ++f) {
    const wavetax::SerialForm& form = done.forms[f];
    forms[static_cast<R_xlen_t>(f)] = Rcpp::List::create(
        Rcpp::Named("diagonal") = Rcpp::wrap(form.diagonal), Rcpp::Named("z") = Rcpp::wrap(form.statistic),
        Rcpp::Named("told") = Rcpp::LogicalVector(form.told.begin(), form.told.end()), Rcpp::Named("own") = form.own,
        Rcpp::Named("others") = form.others);
  }
  return Rcpp::List::create(
      Rcpp::Named("forms") = forms, Rcpp::Named("pair_apart") = Rcpp::wrap(done.pair_apart),
      Rcpp::Named("all_apart") = Rcpp::wrap(done.all_apart), Rcpp::Named("pair_sum") = done.pair_sum,
      Rcpp::Named("all_sum") = done.all_sum);
}

// What effects within entities leave of each column of p.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_serial_own(Rcpp::List rows, Rcpp::NumericMatrix p, int threads) {
  const wavetax::SerialRows by = serial_rows(rows);
  if (static_cast<std::size_t>(p.nrow()) != by.n) Rcpp::stop("Columns are not those of the rows.");
  Rcpp::NumericMatrix out(Rcpp::no_init(p.nrow(), p.ncol()));
  wavetax::apply_own_annihilator(by, p.begin(), static_cast<std::size_t>(p.ncol()), out.begin(), threads);
  return out;
}

// C times each column of p.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_serial_apply(Rcpp::List rows, int lag, Rcpp::NumericVector diagonal, Rcpp::LogicalVector told,
                                     Rcpp::NumericMatrix p, int threads) {
  const wavetax::SerialRows by = serial_rows(rows);
  if (static_cast<std::size_t>(p.nrow()) != by.n || static_cast<std::size_t>(diagonal.size()) != by.n ||
      static_cast<std::size_t>(told.size()) + 1 != by.start.size())
    Rcpp::stop("Columns are not those of the rows.");
  const std::vector<char> use(told.begin(), told.end());
  Rcpp::NumericMatrix out(Rcpp::no_init(p.nrow(), p.ncol()));
  wavetax::apply_serial_form(by, lag, diagonal.begin(), use.data(), p.begin(), static_cast<std::size_t>(p.ncol()),
                             out.begin(), threads);
  return out;
}

// list(sum, squares) of p_i'moved_i over entities.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_entity_products(Rcpp::List rows, Rcpp::NumericMatrix p, Rcpp::NumericMatrix moved, int threads) {
  const wavetax::SerialRows by = serial_rows(rows);
  if (static_cast<std::size_t>(p.nrow()) != by.n || p.nrow() != moved.nrow() || p.ncol() != moved.ncol())
    Rcpp::stop("Columns are not those of the rows.");
  const wavetax::EntityProducts done =
      wavetax::entity_products(by, p.begin(), moved.begin(), static_cast<std::size_t>(p.ncol()), threads);
  return Rcpp::List::create(Rcpp::Named("sum") = pack(done.sum), Rcpp::Named("squares") = pack(done.squares));
}

namespace {

void check_panel_rows(SEXP entity, SEXP clock, SEXP order, R_xlen_t n) {
  const bool good = TYPEOF(entity) == INTSXP && TYPEOF(clock) == INTSXP && Rf_xlength(entity) == n &&
                    Rf_xlength(clock) == n && (order == R_NilValue || Rf_xlength(order) == n);
  if (!good) Rcpp::stop("Entities, clock and order are not one integer for each row.");
}

}  // namespace

// Columns under a root, a NULL one of ones.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_ar1_columns(Rcpp::List columns, Rcpp::List root, int threads) {
  const wavetax::Ar1Root by = as_ar1_root(root);
  const wavetax::Rows rows = as_rows(columns, R_NilValue, static_cast<R_xlen_t>(by.stored));
  Rcpp::List out(columns.size());
  std::vector<double*> to;
  for (R_xlen_t c = 0; c < columns.size(); ++c) {
    Rcpp::NumericVector column(Rcpp::no_init(static_cast<R_xlen_t>(by.n)));
    to.push_back(column.begin());
    out[c] = column;
  }
  const std::vector<std::size_t> cuts = wavetax::even_cuts(by.n, wavetax::piece_rows);
  wavetax::for_each_piece(cuts.size() - 1, threads, [&](std::size_t piece) {
    for (std::size_t c = 0; c < to.size(); ++c)
      by.read(rows.columns[c], 0.0, cuts[piece], cuts[piece + 1] - cuts[piece], to[c] + cuts[piece]);
  });
  return out;
}

// [[Rcpp::export(rng = false)]]
double cpp_ar1_log_keep(Rcpp::List root, int threads) { return as_ar1_root(root).log_keep(threads); }

// Levels of columns less `centre` under a root, by group, of their regression on the root's column of ones, `loading`:
// list(means, weight, the squared norms of the loading, within, the factor of what is left).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_ar1_levels(Rcpp::List columns, Rcpp::NumericVector centre, Rcpp::List root,
                          Rcpp::NumericVector loading, Rcpp::List groups, int threads) {
  const wavetax::Ar1Root by = as_ar1_root(root);
  wavetax::Rows rows = as_rows(columns, R_NilValue, static_cast<R_xlen_t>(by.stored));
  rows.n = by.n;
  rows.root = &by;
  if (static_cast<std::size_t>(loading.size()) != by.n || static_cast<std::size_t>(centre.size()) != rows.width())
    Rcpp::stop("The loading or the centres are not those of the rows.");
  const wavetax::Groups in = as_groups(groups, static_cast<R_xlen_t>(by.n));
  const wavetax::LoadedLevels done = wavetax::loaded_levels(rows, in, loading.begin(), centre.begin(), threads);
  return Rcpp::List::create(Rcpp::Named("weight") = done.weight,
                            Rcpp::Named("means") = as_table(done.levels, rows.width(), in.count, threads, centre.begin()),
                            Rcpp::Named("near") = as_table(done.levels, rows.width(), in.count, threads),
                            Rcpp::Named("within") = pack(done.within.matrix()));
}

// list(products, squares, before, pairs) of residuals, see Ar1Moments.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_ar1_moments(Rcpp::NumericVector e, SEXP entity, SEXP clock, SEXP order, double entities, int lag,
                           int threads) {
  check_panel_rows(entity, clock, order, e.size());
  const int* codes = checked_codes(entity, entities, e.size());
  const wavetax::Ar1Moments done =
      wavetax::ar1_moments(e.begin(), codes, INTEGER(clock), int_or_null(order), static_cast<std::size_t>(e.size()),
                           static_cast<std::size_t>(entities), lag, threads);
  return Rcpp::List::create(Rcpp::_["products"] = Rcpp::wrap(done.products),
                            Rcpp::_["squares"] = Rcpp::wrap(done.squares),
                            Rcpp::_["before"] = done.before, Rcpp::_["pairs"] = done.pairs);
}

// The same of the combination that a view names, of rows by entity (sorted) and clock.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_ar1_view_moments(Rcpp::List view, Rcpp::List entities, Rcpp::IntegerVector clock, int threads) {
  const RView rows(view);
  const wavetax::Groups by = as_groups(entities, static_cast<R_xlen_t>(rows.n()));
  if (!by.sorted || clock.size() != static_cast<R_xlen_t>(rows.n())) Rcpp::stop("Rows do not stand by entity and clock.");
  wavetax::Ar1Moments done;
  wavetax::visit(*rows, wavetax::Ar1MomentSink(by, clock.begin(), 1, done), threads);
  return Rcpp::List::create(Rcpp::_["products"] = Rcpp::wrap(done.products),
                            Rcpp::_["squares"] = Rcpp::wrap(done.squares), Rcpp::_["before"] = done.before,
                            Rcpp::_["pairs"] = done.pairs);
}

// list(rows, entity, times), see PeriodPatterns.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_period_patterns(SEXP entity, SEXP clock, SEXP order) {
  const R_xlen_t n = Rf_xlength(entity);
  check_panel_rows(entity, clock, order, n);
  const wavetax::PeriodPatterns done = wavetax::period_patterns(INTEGER(entity), INTEGER(clock), int_or_null(order),
                                                                static_cast<std::size_t>(n));
  return Rcpp::List::create(Rcpp::_["rows"] = Rcpp::wrap(done.rows), Rcpp::_["entity"] = Rcpp::wrap(done.entity),
                            Rcpp::_["times"] = Rcpp::wrap(done.times));
}

// c(top, bottom), see Ar1Traces; `s` and `times` may be NULL.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_ar1_traces(SEXP s, SEXP entity, SEXP clock, SEXP order, SEXP times, double rho, int lag,
                                   int threads) {
  const R_xlen_t n = Rf_xlength(entity);
  check_panel_rows(entity, clock, order, n);
  if (s != R_NilValue && (TYPEOF(s) != REALSXP || Rf_xlength(s) != n)) Rcpp::stop("Weights are not those of the rows.");
  if (times != R_NilValue) checked_codes(entity, static_cast<double>(Rf_xlength(times)), n);
  const wavetax::Ar1Traces done =
      wavetax::ar1_traces(real_or_null(s), INTEGER(entity), INTEGER(clock), int_or_null(order),
                          static_cast<std::size_t>(n), rho, lag, real_or_null(times), threads);
  return Rcpp::NumericVector::create(done.top, done.bottom);
}
