#include "bindings.h"

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <limits>
#include <string>
#include <wavetax/columns.hpp>
#include <wavetax/keys.hpp>
#include <wavetax/oneway.hpp>

#ifdef _WIN32
#include <io.h>
#else
#include <unistd.h>
#endif

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
  checked_codes(codes, groups, x.size());
  return Rcpp::wrap(wavetax::group_medians(x.begin(), codes.begin(), x.size(), groups, least,
                                           NA_REAL));
}

// The largest absolute value, NaN where a value is not finite.
// [[Rcpp::export(rng = false)]]
double cpp_column_size(Rcpp::NumericVector x, int threads) { return wavetax::column_size(x.begin(), x.size(), threads); }

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_weighted_sums(Rcpp::List columns, SEXP weights, double n, int threads) {
  return Rcpp::wrap(wavetax::weighted_sums(as_rows(columns, weights, static_cast<R_xlen_t>(n)), threads));
}

namespace {

constexpr std::int64_t missing_int64 = std::numeric_limits<std::int64_t>::min();

std::int64_t bits_of(double value) {
  std::int64_t out;
  std::memcpy(&out, &value, sizeof out);
  return out;
}

}  // namespace

// Whole numbers of 64 bits, kept in the bits of doubles.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_integer64(Rcpp::NumericVector bits) {
  Rcpp::NumericVector out(Rcpp::no_init(bits.size()));
  for (R_xlen_t i = 0; i < bits.size(); ++i) {
    const std::int64_t value = bits_of(bits[i]);
    out[i] = value == missing_int64 ? NA_REAL : static_cast<double>(value);
  }
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::CharacterVector cpp_integer64_text(Rcpp::NumericVector bits) {
  Rcpp::CharacterVector out(bits.size());
  for (R_xlen_t i = 0; i < bits.size(); ++i) {
    const std::int64_t value = bits_of(bits[i]);
    if (value == missing_int64) {
      out[i] = NA_STRING;
    } else {
      out[i] = std::to_string(value);
    }
  }
  return out;
}

// Writes to standard output what was printed: whether it arrived, or nobody reads any more.
// [[Rcpp::export(rng = false)]]
bool cpp_write_output(Rcpp::RawVector bytes) {
  const char* at = reinterpret_cast<const char*>(&bytes[0]);
  R_xlen_t left = bytes.size();
  while (left > 0) {
#ifdef _WIN32
    const long done = _write(1, at, static_cast<unsigned>(std::min<R_xlen_t>(left, 1 << 20)));
#else
    const long done = static_cast<long>(::write(1, at, static_cast<std::size_t>(left)));
#endif
    if (done < 0 && errno == EINTR) continue;
    if (done <= 0) return errno == EPIPE;
    at += done;
    left -= done;
  }
  return true;
}
