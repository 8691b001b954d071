#include "bindings.h"

#include <wavetax/keys.hpp>
#include <wavetax/oneway.hpp>

// Codes and values of an integer key, or NULL when its range is too wide for a table.
// [[Rcpp::export(rng = false)]]
SEXP cpp_rank_by_table(Rcpp::IntegerVector x, double limit) {
  Rcpp::IntegerVector codes(Rcpp::no_init(x.size()));
  std::vector<int> values;
  if (!wavetax::rank_by_table(x.begin(), x.size(), static_cast<std::size_t>(limit), codes.begin(),
                              values))
    return R_NilValue;
  return Rcpp::List::create(Rcpp::Named("codes") = codes, Rcpp::Named("values") = values);
}

// [[Rcpp::export(rng = false)]]
bool cpp_is_sorted(Rcpp::IntegerVector codes) {
  return wavetax::is_sorted(codes.begin(), codes.size());
}

// [[Rcpp::export(rng = false)]]
bool cpp_strictly_ordered(Rcpp::IntegerVector entity, Rcpp::IntegerVector clock) {
  return wavetax::strictly_ordered(entity.begin(), clock.begin(), entity.size());
}

// [[Rcpp::export(rng = false)]]
bool cpp_any_repeated_cell(Rcpp::IntegerVector entity, Rcpp::IntegerVector clock, double entities,
                           double periods) {
  return wavetax::any_repeated_cell(entity.begin(), clock.begin(), entity.size(),
                                    static_cast<std::size_t>(entities),
                                    static_cast<std::size_t>(periods));
}

// Whether every number is finite: neither NA, NaN nor infinite.
// [[Rcpp::export(rng = false)]]
bool cpp_all_finite(Rcpp::NumericVector x) { return wavetax::all_finite(x.begin(), x.size()); }

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_first_and_last(Rcpp::IntegerVector entity, Rcpp::IntegerVector clock,
                              int entities) {
  Rcpp::IntegerVector first(entities), last(entities);
  wavetax::first_and_last(entity.begin(), clock.begin(), entity.size(), first.begin(),
                          last.begin());
  return Rcpp::List::create(Rcpp::Named("first") = first, Rcpp::Named("last") = last);
}
