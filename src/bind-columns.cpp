#include "bindings.h"

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <csignal>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <limits>
#include <string>
#include <wavetax/columns.hpp>
#include <wavetax/keys.hpp>
#include <wavetax/oneway.hpp>

#ifdef _WIN32
#include <io.h>
#else
#include <fcntl.h>
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

// Of each column, row numbers of values a factor of `ratio` or more from their group's median, and far for
// the column.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_far_values(Rcpp::List columns, Rcpp::IntegerVector codes, int groups, int least, double ratio,
                          int threads) {
  for (const int code : codes)
    if (code < 0 || code > groups) Rcpp::stop("A code of a group is not between 0 and %d.", groups);
  const std::size_t count = static_cast<std::size_t>(columns.size());
  std::vector<const double*> values;
  for (std::size_t c = 0; c < count; ++c) {
    SEXP column = columns[static_cast<R_xlen_t>(c)];
    if (TYPEOF(column) != REALSXP || Rf_xlength(column) != codes.size()) Rcpp::stop("A column is not a double for each row.");
    values.push_back(REAL(column));
  }
  std::vector<std::vector<std::size_t>> rows(count);
  const int* code = codes.begin();
  const std::size_t n = static_cast<std::size_t>(codes.size());
  wavetax::for_each_piece(count, threads, [&](std::size_t c) {
    const wavetax::Numbers ratios = wavetax::ratios_to_median(values[c], code, n, groups, least);
    rows[c] = wavetax::far_rows(ratios, ratio, true);
    const std::vector<std::size_t> below = wavetax::far_rows(ratios, ratio, false);
    rows[c].insert(rows[c].end(), below.begin(), below.end());
    std::sort(rows[c].begin(), rows[c].end());
  });
  Rcpp::List out(count);
  for (std::size_t c = 0; c < count; ++c) {
    Rcpp::NumericVector one(rows[c].size());
    for (std::size_t i = 0; i < rows[c].size(); ++i) one[i] = static_cast<double>(rows[c][i] + 1);
    out[c] = one;
  }
  return out;
}

// Whether all are whole numbers or NA, and the largest absolute value.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_number_facts(Rcpp::NumericVector x) {
  const wavetax::NumberFacts facts =
      wavetax::number_facts(x.begin(), x.size(), [](double value) { return R_IsNA(value) != 0; });
  return Rcpp::List::create(Rcpp::Named("whole") = facts.whole, Rcpp::Named("largest") = facts.largest);
}

// Whether a path leads to a file that is no device, pipe or folder.
// [[Rcpp::export(rng = false)]]
bool cpp_is_plain_file(std::string path) {
  std::error_code wrong;
  return std::filesystem::is_regular_file(path, wrong);
}

// Of a stretch of a sheet's XML, added to what stretches before it had (`seen`): how many cells, the last row
// and column that their references name, and whether one is no reference; and how many of its bytes can be
// left behind, as a reference may be cut by its end.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_cell_extent(Rcpp::RawVector bytes, Rcpp::NumericVector seen) {
  double cells = seen[0], last_row = seen[1], last_column = seen[2], odd = seen[3];
  const char* const begin = reinterpret_cast<const char*>(bytes.begin());
  const char* const end = begin + bytes.size();
  const char* done = std::max(begin, end - 4);
  for (const char* at = begin; (at = static_cast<const char*>(std::memchr(at, '"', static_cast<std::size_t>(end - at))));) {
    const char* const start = ++at;
    if (start - begin < 4 || start[-4] != ' ' || start[-3] != 'r' || start[-2] != '=') continue;
    const char* const close = static_cast<const char*>(std::memchr(at, '"', static_cast<std::size_t>(end - at)));
    if (!close) {
      done = start - 4;
      break;
    }
    at = close + 1;
    done = std::max(done, at);
    double column = 0.0, row = 0.0;
    const char* sign = start;
    for (; sign < close && *sign >= 'A' && *sign <= 'Z'; ++sign) column = column * 26.0 + (*sign - 'A' + 1);
    bool good = sign < close;
    for (; sign < close; ++sign) {
      good = good && *sign >= '0' && *sign <= '9';
      row = row * 10.0 + (*sign - '0');
    }
    if (!good || row < 1.0) odd = 1.0;
    last_row = std::max(last_row, row);
    last_column = std::max(last_column, column);
    if (column > 0.0) ++cells;
  }
  return Rcpp::NumericVector::create(cells, last_row, last_column, odd, static_cast<double>(done - begin));
}

// Of a forked child that may die: it does so without a word, and after so many seconds.
// [[Rcpp::export(rng = false)]]
void cpp_expendable(int seconds) {
#ifndef _WIN32
  for (const int signal : {SIGSEGV, SIGBUS, SIGABRT, SIGILL, SIGFPE, SIGALRM}) std::signal(signal, SIG_DFL);
  const int nowhere = open("/dev/null", O_WRONLY);
  if (nowhere >= 0) dup2(nowhere, 2);
  alarm(static_cast<unsigned>(seconds));
#endif
}

namespace {

// use(bytes, count) for each stretch of a file, until it says false.
template <class Use>
void for_each_stretch(const std::string& path, Use&& use) {
  std::FILE* const file = std::fopen(path.c_str(), "rb");
  if (!file) return;
  std::vector<char> bytes(1 << 20);
  std::size_t got;
  while ((got = std::fread(bytes.data(), 1, bytes.size(), file)) > 0 && use(bytes.data(), got)) {
  }
  std::fclose(file);
}

}  // namespace

// Whether any byte of a file is zero.
// [[Rcpp::export(rng = false)]]
bool cpp_holds_zero(std::string path) {
  bool found = false;
  for_each_stretch(path, [&](const char* bytes, std::size_t count) {
    found = std::memchr(bytes, 0, count);
    return !found;
  });
  return found;
}

// Records and cells of a text file, whose ends within quotes are none.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_text_counts(std::string path, std::string separator) {
  double records = 0.0, cells = 0.0;
  bool quoted = false;
  for_each_stretch(path, [&](const char* bytes, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
      if (bytes[i] == '"') quoted = !quoted;
      if (quoted) continue;
      if (bytes[i] == '\n') ++records;
      if (bytes[i] == '\n' || bytes[i] == separator[0]) ++cells;
    }
    return true;
  });
  return Rcpp::NumericVector::create(Rcpp::Named("records") = records, Rcpp::Named("cells") = cells);
}

// Whether any cell of a text column holds `part`.
// [[Rcpp::export(rng = false)]]
bool cpp_any_contains(Rcpp::CharacterVector x, std::string part) {
  const SEXP* cell = STRING_PTR(x);
  SEXP before = R_NilValue;
  for (R_xlen_t i = 0; i < x.size(); ++i) {
    if (cell[i] == before) continue;
    before = cell[i];
    if (std::strstr(CHAR(before), part.c_str())) return true;
  }
  return false;
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
#ifdef SIGPIPE
  // R makes an error of a reader that leaves early.
  struct Piped {
    void (*before)(int) = std::signal(SIGPIPE, SIG_IGN);
    ~Piped() { std::signal(SIGPIPE, before); }
  } piped;
#endif
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
