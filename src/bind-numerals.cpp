#include "bindings.h"

#include <cstring>

#include <wavetax/numerals.hpp>

namespace {

wavetax::Words as_words(const Rcpp::CharacterVector& words) {
  wavetax::Words out;
  for (R_xlen_t i = 0; i < words.size(); ++i) out.insert(CHAR(words[i]));
  return out;
}

wavetax::MarkRole as_role(int role) {
  return role == 1 ? wavetax::MarkRole::decimal : role == 2 ? wavetax::MarkRole::thousands : wavetax::MarkRole::open;
}

Rcpp::NumericVector as_rows(const std::vector<std::int64_t>& rows) {
  Rcpp::NumericVector out(rows.size());
  for (std::size_t i = 0; i < rows.size(); ++i) out[i] = static_cast<double>(rows[i] + 1);
  return out;
}

}  // namespace

// The numbers in the cells of a text column (UTF-8), and what was seen in them: `counts` and the
// `first` rows by kind of mark, rows that are no numbers, rows with a word for missing, currencies.
// Roles of comma and point: 0 open, 1 decimal, 2 thousands. Of a column in whose sample of cells fewer
// than half are numbers, only that is told, with `value` NULL.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_read_numerals(Rcpp::CharacterVector cells, int comma, int point, bool share,
                             Rcpp::CharacterVector currencies, Rcpp::CharacterVector missing, double sample) {
  const wavetax::Words money = as_words(currencies), words = as_words(missing);
  const wavetax::NumeralRoles roles{as_role(comma), as_role(point), share};
  const R_xlen_t n = cells.size();
  const SEXP* cell = STRING_PTR(cells);
  const auto add = [&](wavetax::NumeralColumn& column, R_xlen_t row) {
    SEXP one = cell[row];
    if (one == NA_STRING) return NA_REAL;
    const bool latin = Rf_getCharCE(one) == CE_LATIN1;
    const char* text = latin ? Rf_translateCharUTF8(one) : CHAR(one);
    const double value = column.add(row, text, text + (latin ? std::strlen(text) : static_cast<std::size_t>(LENGTH(one))));
    return std::isnan(value) ? NA_REAL : value;
  };
  if (sample > 0 && static_cast<double>(n) > 2 * sample) {
    wavetax::NumeralColumn part(roles, money, words);
    const R_xlen_t step = static_cast<R_xlen_t>(static_cast<double>(n) / sample);
    for (R_xlen_t row = 0; row < n; row += step) add(part, row);
    const std::int64_t said = part.filled() - static_cast<std::int64_t>(part.missing_rows().size());
    if (said > 0 && part.numbers() * 2 < said) return Rcpp::List::create(Rcpp::Named("value") = R_NilValue);
  }
  wavetax::NumeralColumn column(roles, money, words);
  Rcpp::NumericVector value(Rcpp::no_init(n));
  for (R_xlen_t row = 0; row < n; ++row) {
    if (row % 1000000 == 999999) Rcpp::checkUserInterrupt();
    value[row] = add(column, row);
  }
  Rcpp::CharacterVector names(column.currencies().size());
  Rcpp::NumericVector times(column.currencies().size());
  R_xlen_t i = 0;
  for (const auto& one : column.currencies()) {
    names[i] = Rf_mkCharCE(one.first.c_str(), CE_UTF8);
    times[i++] = static_cast<double>(one.second);
  }
  times.names() = names;
  Rcpp::NumericVector counts(wavetax::numeral_marks), first(wavetax::numeral_marks);
  for (int m = 0; m < wavetax::numeral_marks; ++m) {
    counts[m] = static_cast<double>(column.counts()[m]);
    first[m] = static_cast<double>(column.first()[m] + 1);
  }
  return Rcpp::List::create(
      Rcpp::Named("value") = value, Rcpp::Named("filled") = static_cast<double>(column.filled()),
      Rcpp::Named("numbers") = static_cast<double>(column.numbers()), Rcpp::Named("counts") = counts,
      Rcpp::Named("first") = first, Rcpp::Named("not_numbers") = as_rows(column.not_numbers()),
      Rcpp::Named("missing") = as_rows(column.missing_rows()), Rcpp::Named("currencies") = times);
}
