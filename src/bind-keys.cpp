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

// Counts of so few groups stay in the first cache.
constexpr unsigned few_groups = 1024;

// The one maker of groups: list(codes, count, sorted, missing, sizes) from codes between 0 (missing)
// and `count`, which are checked here and not again.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_groups(Rcpp::IntegerVector codes, double count) {
  if (!(count >= 0.0) || count > std::numeric_limits<int>::max()) Rcpp::stop("The count of groups is not one.");
  Rcpp::IntegerVector sizes(static_cast<R_xlen_t>(count));
  const unsigned limit = static_cast<unsigned>(count);
  const R_xlen_t n = codes.size();
  const int* code = codes.begin();
  int* size = sizes.begin();
  double missing = 0.0;
  bool sorted = true, outside = false;
  for (R_xlen_t r = 0; r < n; ++r) outside |= static_cast<unsigned>(code[r]) > limit;
  if (outside) stop_altered("a code of a group is none of its groups.");
  if (limit <= few_groups) {
    // Four counts of each, so that none waits for the one before.
    std::vector<int> counts(4 * (limit + 1), 0);
    for (R_xlen_t r = 0; r < n; ++r) ++counts[4 * static_cast<std::size_t>(code[r]) + static_cast<std::size_t>(r & 3)];
    for (R_xlen_t r = 1; r < n; ++r) sorted &= code[r] >= code[r - 1];
    for (std::size_t g = 0; g <= limit; ++g) {
      const int* const one = &counts[4 * g];
      const int total = one[0] + one[1] + one[2] + one[3];
      if (g == 0) missing = total; else size[g - 1] = total;
    }
  }
  const R_xlen_t ahead = static_cast<R_xlen_t>(wavetax::fetch_ahead);
  // Rows of one group often stand together: they are counted before they are added.
  for (R_xlen_t r = 0; limit > few_groups && r < n;) {
    const int group = code[r];
    if (r + ahead < n && code[r + ahead] > 0) __builtin_prefetch(&size[code[r + ahead] - 1], 1);
    if (r > 0 && group < code[r - 1]) sorted = false;
    R_xlen_t end = r + 1;
    while (end < n && code[end] == group) ++end;
    if (group == 0) {
      missing += static_cast<double>(end - r);
    } else {
      size[group - 1] += static_cast<int>(end - r);
    }
    r = end;
  }
  Rcpp::List out = Rcpp::List::create(Rcpp::Named("codes") = codes, Rcpp::Named("count") = static_cast<int>(count),
                                      Rcpp::Named("sorted") = sorted, Rcpp::Named("missing") = missing,
                                      Rcpp::Named("sizes") = sizes);
  out.attr("class") = "row_groups";
  return out;
}

// Whether every group lies in one cluster.
// [[Rcpp::export(rng = false)]]
bool cpp_is_nested(Rcpp::IntegerVector groups, Rcpp::IntegerVector clusters, int count) {
  if (groups.size() != clusters.size()) Rcpp::stop("Groups and clusters are not of the same rows.");
  std::vector<int> cluster_of(count, 0);
  for (R_xlen_t r = 0; r < groups.size(); ++r) {
    if (groups[r] < 1 || groups[r] > count) stop_altered("a code of a group is none of its groups.");
    int& known = cluster_of[groups[r] - 1];
    if (known == 0) known = clusters[r];
    if (known != clusters[r]) return false;
  }
  return true;
}

// [[Rcpp::export(rng = false)]]
bool cpp_strictly_ordered(Rcpp::IntegerVector entity, Rcpp::IntegerVector clock) {
  return wavetax::strictly_ordered(entity.begin(), clock.begin(), entity.size());
}

// [[Rcpp::export(rng = false)]]
bool cpp_any_repeated_cell(Rcpp::IntegerVector entity, Rcpp::IntegerVector clock, double entities,
                           double periods) {
  checked_codes(entity, entities, entity.size());
  checked_codes(clock, periods, entity.size());
  return wavetax::any_repeated_cell(entity.begin(), clock.begin(), entity.size(),
                                    static_cast<std::size_t>(entities),
                                    static_cast<std::size_t>(periods));
}

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_first_and_last(Rcpp::IntegerVector entity, Rcpp::IntegerVector clock,
                              int entities) {
  checked_codes(entity, entities, clock.size());
  Rcpp::IntegerVector first(entities), last(entities);
  wavetax::first_and_last(entity.begin(), clock.begin(), entity.size(), first.begin(),
                          last.begin());
  return Rcpp::List::create(Rcpp::Named("first") = first, Rcpp::Named("last") = last);
}

// Row numbers from 1 of the same entity `lag` ticks before, NA where there is none.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerVector cpp_shifted_rows(Rcpp::IntegerVector entity, Rcpp::IntegerVector clock,
                                     SEXP order, int lag) {
  Rcpp::IntegerVector out(Rcpp::no_init(entity.size()));
  int* to = out.begin();
  wavetax::shift_in_order(entity.begin(), clock.begin(), int_or_null(order), entity.size(), lag,
                          [to](std::size_t row, long long from) {
                            to[row] = from < 0 ? NA_INTEGER : static_cast<int>(from + 1);
                          });
  return out;
}

// Values of x shifted; by the table where `entities` is positive, else rows are in order.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_shifted_values(Rcpp::NumericVector x, Rcpp::IntegerVector entity,
                                       Rcpp::IntegerVector clock, double entities,
                                       double periods, int lag, int threads) {
  Rcpp::NumericVector out(Rcpp::no_init(x.size()));
  double* to = out.begin();
  const double* from = x.begin();
  if (entities > 0) {
    checked_codes(entity, entities, x.size());
    checked_codes(clock, periods, x.size());
    wavetax::shift_by_table(
        entity.begin(), clock.begin(), entity.size(), static_cast<std::size_t>(entities),
        static_cast<std::size_t>(periods), lag, threads, NA_REAL,
        [from](std::size_t row) { return from[row]; },
        [to](std::size_t row, double value) { to[row] = value; });
  } else {
    wavetax::shift_in_order(entity.begin(), clock.begin(), nullptr, entity.size(), lag,
                            [to, from](std::size_t row, long long other) {
                              to[row] = other < 0 ? NA_REAL : from[other];
                            });
  }
  return out;
}

// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_group_sums(Rcpp::NumericVector x, Rcpp::IntegerVector codes, int groups) {
  checked_codes(codes, groups, x.size());
  Rcpp::NumericVector out(groups);
  for (R_xlen_t i = 0; i < x.size(); ++i) out[codes[i] - 1] += x[i];
  return out;
}

// Codes from 1 of text in order of first appearance. R keeps one copy of each string (of one
// encoding), so equal text has equal addresses.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_code_text(Rcpp::CharacterVector x) {
  const R_xlen_t n = x.size();
  Rcpp::IntegerVector codes(Rcpp::no_init(n));
  std::size_t size = 1024;
  std::vector<std::pair<SEXP, int>> table(size, {nullptr, 0});
  std::vector<SEXP> values;
  auto slot_of = [&](SEXP value) {
    std::size_t slot = (reinterpret_cast<std::uintptr_t>(value) >> 4) * 0x9E3779B97F4A7C15ULL;
    slot = (slot >> 20) & (size - 1);
    while (table[slot].first && table[slot].first != value) slot = (slot + 1) & (size - 1);
    return slot;
  };
  for (R_xlen_t i = 0; i < n; ++i) {
    SEXP value = STRING_ELT(x, i);
    std::size_t slot = slot_of(value);
    if (!table[slot].first) {
      values.push_back(value);
      if (2 * values.size() > size) {
        size *= 4;
        table.assign(size, {nullptr, 0});
        for (std::size_t v = 0; v < values.size(); ++v)
          table[slot_of(values[v])] = {values[v], static_cast<int>(v + 1)};
        slot = slot_of(value);
      }
      table[slot] = {value, static_cast<int>(values.size())};
    }
    codes[i] = table[slot].second;
  }
  Rcpp::CharacterVector out(values.size());
  for (std::size_t v = 0; v < values.size(); ++v) SET_STRING_ELT(out, v, values[v]);
  return Rcpp::List::create(Rcpp::Named("codes") = codes, Rcpp::Named("values") = out);
}
