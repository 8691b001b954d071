// Between R's objects and the core's: unpack, call, pack.
#pragma once

#include <Rcpp.h>

#include <wavetax/groups.hpp>
#include <wavetax/rows.hpp>
#include <wavetax/triangle.hpp>

// What R hands over does not go together: an object that was edited, or read from a damaged file. Rcpp names the
// condition by the class, and R's side takes it for one of its own.
struct wavetax_error : std::runtime_error {
  explicit wavetax_error(const std::string& what) : std::runtime_error(what) {}
};

inline void stop_altered(const std::string& what) {
  throw wavetax_error("This fit was altered or damaged: " + what + " Estimate it again.");
}

inline Rcpp::NumericMatrix pack(const Eigen::MatrixXd& m) {
  Rcpp::NumericMatrix out(m.rows(), m.cols());
  std::copy(m.data(), m.data() + m.size(), out.begin());
  return out;
}

inline Eigen::MatrixXd unpack(const Rcpp::NumericMatrix& m) {
  return Eigen::Map<const Eigen::MatrixXd>(m.begin(), m.nrow(), m.ncol());
}

// A table as a matrix with a column for each of its `count` groups; where there is one, `centre` is
// added to each column.
inline Rcpp::NumericMatrix as_table(const wavetax::Numbers& values, std::size_t size, std::size_t count, int threads,
                                    const double* centre = nullptr) {
  Rcpp::NumericMatrix out(Rcpp::no_init(static_cast<int>(size), static_cast<int>(count)));
  wavetax::prefer_large_pages(out.begin(), size * count * sizeof(double));
  const std::vector<std::size_t> cuts = wavetax::even_cuts(count, wavetax::piece_rows);
  wavetax::for_each_piece(cuts.size() - 1, threads, [&](std::size_t piece) {
    std::copy(values.begin() + cuts[piece] * size, values.begin() + cuts[piece + 1] * size,
              out.begin() + cuts[piece] * size);
    for (std::size_t g = cuts[piece]; centre && g < cuts[piece + 1]; ++g)
      for (std::size_t c = 0; c < size; ++c) out[g * size + c] += centre[c];
  });
  return out;
}

// `columns` is a list of numeric vectors of n rows; NULL among them is a column of ones.
inline wavetax::Rows as_rows(const Rcpp::List& columns, SEXP weights, R_xlen_t n) {
  wavetax::Rows rows;
  rows.n = static_cast<std::size_t>(n);
  for (R_xlen_t c = 0; c < columns.size(); ++c) {
    SEXP column = columns[c];
    if (column != R_NilValue && (TYPEOF(column) != REALSXP || Rf_xlength(column) != n))
      stop_altered("column " + std::to_string(c + 1) + " is not one of numbers for each row.");
    rows.columns.push_back(column == R_NilValue ? nullptr : REAL(column));
  }
  if (weights != R_NilValue) {
    if (TYPEOF(weights) != REALSXP || Rf_xlength(weights) != n)
      stop_altered("weights are not one number for each row.");
    rows.weights = REAL(weights);
  }
  return rows;
}

// Codes of groups must lie between 1 and `count`: tables are indexed by them. Missing groups have
// the code 0, and rows of such must be left out before.
inline const int* checked_codes(SEXP codes, double count, R_xlen_t n) {
  if (TYPEOF(codes) != INTSXP || Rf_xlength(codes) != n) stop_altered("codes of groups are not those of its rows.");
  if (!(count >= 0.0)) Rcpp::stop("The count of groups is missing or negative.");
  const int* code = INTEGER(codes);
  const unsigned limit = static_cast<unsigned>(count);
  bool outside = false;
  for (R_xlen_t r = 0; r < n; ++r) outside |= static_cast<unsigned>(code[r]) - 1u >= limit;
  if (outside) stop_altered("a code of a group is none of its groups.");
  return code;
}

// Groups as cpp_groups() made them; an object can be edited, so their codes are looked through again.
inline wavetax::Groups as_groups(const Rcpp::List& groups, R_xlen_t n) {
  wavetax::Groups out;
  SEXP codes = groups["codes"];
  if (TYPEOF(codes) != INTSXP || Rf_xlength(codes) != n || !groups.inherits("row_groups"))
    stop_altered("groups are not those of its rows.");
  if (Rcpp::as<double>(groups["missing"]) > 0) Rcpp::stop("A row without a group was not left out.");
  const double count = Rcpp::as<double>(groups["count"]);
  SEXP sizes = groups["sizes"];
  if (!(count >= 0.0) || TYPEOF(sizes) != INTSXP || static_cast<double>(Rf_xlength(sizes)) != count)
    stop_altered("groups do not say how many rows each has.");
  out.count = static_cast<std::size_t>(count);
  out.sorted = Rcpp::as<bool>(groups["sorted"]);
  out.sizes = INTEGER(sizes);
  // Tables are indexed by codes, and sorted groups cut by their sizes.
  out.codes = checked_codes(codes, count, n);
  bool outside = false;
  double rows = 0.0;
  for (std::size_t g = 0; g < out.count; ++g) {
    outside |= out.sizes[g] < 0;
    rows += out.sizes[g];
  }
  if (outside || rows != static_cast<double>(n)) stop_altered("groups do not say how many rows each has.");
  return out;
}

inline const int* ints_of(SEXP x, std::size_t n) {
  if (TYPEOF(x) != INTSXP || static_cast<std::size_t>(Rf_xlength(x)) != n) Rcpp::stop("Not one integer for each row.");
  return INTEGER(x);
}

// A root as core_ar1_root() has it.
inline wavetax::Ar1Root as_ar1_root(const Rcpp::List& root) {
  wavetax::Ar1Root out;
  SEXP entity = root["entity"], s = root["s"], now = root["now"], before = root["before"], rho = root["rho"];
  out.n = static_cast<std::size_t>(Rcpp::as<double>(root["n"]));
  out.stored = static_cast<std::size_t>(Rf_xlength(entity));
  out.entity = ints_of(entity, out.stored);
  out.clock = ints_of(root["clock"], out.stored);
  if (s != R_NilValue && (TYPEOF(s) != REALSXP || static_cast<std::size_t>(Rf_xlength(s)) != out.stored))
    Rcpp::stop("Roots of weights are not one double for each row.");
  if (s != R_NilValue) out.s = REAL(s);
  if (now != R_NilValue) out.now = ints_of(now, out.n);
  if (before != R_NilValue) out.before = ints_of(before, out.n);
  if (now == R_NilValue && out.n != out.stored) Rcpp::stop("Rows of the root are not those of the columns.");
  if (TYPEOF(rho) != REALSXP) Rcpp::stop("rho is not a double.");
  const bool own = Rf_xlength(rho) != 1;
  if (own) {
    const int count = static_cast<int>(Rf_xlength(rho));
    for (std::size_t r = 0; r < out.stored; ++r)
      if (out.entity[r] < 1 || out.entity[r] > count) Rcpp::stop("There is not one rho for each entity.");
  }
  const int last = static_cast<int>(out.stored);
  for (std::size_t r = 0; r < out.n; ++r)
    if ((out.now && (out.now[r] < 1 || out.now[r] > last)) || (out.before && (out.before[r] < 0 || out.before[r] > last)))
      Rcpp::stop("A row of the root is not one of the columns.");
  out.set_rho(REAL(rho), own);
  return out;
}

inline const int* int_or_null(SEXP x) { return x == R_NilValue ? nullptr : INTEGER(x); }
inline const double* real_or_null(SEXP x) { return x == R_NilValue ? nullptr : REAL(x); }
