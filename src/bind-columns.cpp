#include "bindings.h"

#include <wavetax/columns.hpp>

namespace {

template <class Vector, class Value>
Vector interleave(const Rcpp::List& columns, R_xlen_t n, Value none, Value* (*data)(SEXP),
                  int threads) {
  std::vector<const Value*> in;
  for (R_xlen_t c = 0; c < columns.size(); ++c) {
    SEXP column = columns[c];
    in.push_back(column == R_NilValue ? nullptr : data(column));
  }
  Vector out(Rcpp::no_init(n * columns.size()));
  wavetax::interleave(in, static_cast<std::size_t>(n), none, &out[0], threads);
  return out;
}

}  // namespace

// The columns, all doubles or all integers (NULL: missing), entity by entity.
// [[Rcpp::export(rng = false)]]
SEXP cpp_interleave(Rcpp::List columns, double n, bool doubles, int threads) {
  const R_xlen_t rows = static_cast<R_xlen_t>(n);
  if (doubles) return interleave<Rcpp::NumericVector>(columns, rows, NA_REAL, REAL, threads);
  return interleave<Rcpp::IntegerVector>(columns, rows, NA_INTEGER, INTEGER, threads);
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_group_medians(Rcpp::NumericVector x, Rcpp::IntegerVector codes, int groups,
                                      int least) {
  return Rcpp::wrap(wavetax::group_medians(x.begin(), codes.begin(), x.size(), groups, least,
                                           NA_REAL));
}
