// Between R's objects and the core's: unpack, call, pack.
#pragma once

#include <Rcpp.h>

#include <wavetax/rows.hpp>

// `columns` is a list of numeric vectors; NULL among them is a column of ones.
inline wavetax::Rows as_rows(const Rcpp::List& columns, SEXP weights, R_xlen_t n) {
  wavetax::Rows rows;
  rows.n = static_cast<std::size_t>(n);
  for (R_xlen_t c = 0; c < columns.size(); ++c) {
    SEXP column = columns[c];
    if (column != R_NilValue && (TYPEOF(column) != REALSXP || Rf_xlength(column) != n))
      Rcpp::stop("Column %d is not a double vector of %d rows.", static_cast<int>(c + 1),
                 static_cast<int>(n));
    rows.columns.push_back(column == R_NilValue ? nullptr : REAL(column));
  }
  if (weights != R_NilValue) rows.weights = REAL(weights);
  return rows;
}

inline const int* int_or_null(SEXP x) { return x == R_NilValue ? nullptr : INTEGER(x); }
inline const double* real_or_null(SEXP x) { return x == R_NilValue ? nullptr : REAL(x); }
