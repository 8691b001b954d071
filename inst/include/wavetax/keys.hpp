// Keys of a panel: ranking and repeated cells.
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <limits>
#include <memory>
#include <vector>

#include "parallel.hpp"

namespace wavetax {

constexpr int missing_int = std::numeric_limits<int>::min();

// Ranks integers by a table over their range: codes from 1 in increasing order of
// value, 0 where missing; `values` gets the different values. False when the range
// is wider than `limit`, and then nothing is done.
inline bool rank_by_table(const int* x, std::size_t n, std::size_t limit, int* codes,
                          std::vector<int>& values) {
  values.clear();
  if (n > 0 && x[0] != missing_int && std::is_sorted(x, x + n)) {
    for (std::size_t i = 0; i < n; ++i) {
      if (i == 0 || x[i] != x[i - 1]) values.push_back(x[i]);
      codes[i] = static_cast<int>(values.size());
    }
    return true;
  }
  int low = std::numeric_limits<int>::max(), high = missing_int;
  for (std::size_t i = 0; i < n; ++i) {
    if (x[i] == missing_int) continue;
    if (x[i] < low) low = x[i];
    if (x[i] > high) high = x[i];
  }
  if (high == missing_int) {
    for (std::size_t i = 0; i < n; ++i) codes[i] = 0;
    return true;
  }
  const std::size_t range = static_cast<std::size_t>(static_cast<std::int64_t>(high) - low) + 1;
  if (range > limit) return false;
  std::vector<int> table(range, 0);
  for (std::size_t i = 0; i < n; ++i)
    if (x[i] != missing_int) table[static_cast<std::int64_t>(x[i]) - low] = 1;
  for (std::size_t v = 0; v < range; ++v)
    if (table[v]) {
      values.push_back(static_cast<int>(low + static_cast<std::int64_t>(v)));
      table[v] = static_cast<int>(values.size());
    }
  for (std::size_t i = 0; i < n; ++i)
    codes[i] = x[i] == missing_int ? 0 : table[static_cast<std::int64_t>(x[i]) - low];
  return true;
}

// Whether rows run by entity, and within one by strictly increasing period.
inline bool strictly_ordered(const int* entity, const int* clock, std::size_t n) {
  for (std::size_t i = 1; i < n; ++i)
    if (entity[i] < entity[i - 1] || (entity[i] == entity[i - 1] && clock[i] <= clock[i - 1]))
      return false;
  return true;
}

// Whether any (entity, clock) cell holds two rows; a bit for every cell of the grid.
inline bool any_repeated_cell(const int* entity, const int* clock, std::size_t n,
                              std::size_t entities, std::size_t periods) {
  std::vector<std::uint64_t> seen((entities * periods + 63) / 64, 0);
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t cell =
        static_cast<std::size_t>(entity[i] - 1) * periods + static_cast<std::size_t>(clock[i] - 1);
    const std::uint64_t bit = std::uint64_t{1} << (cell % 64);
    if (seen[cell / 64] & bit) return true;
    seen[cell / 64] |= bit;
  }
  return false;
}

// First and last clock of every entity.
inline void first_and_last(const int* entity, const int* clock, std::size_t n, int* first,
                           int* last) {
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t e = static_cast<std::size_t>(entity[i]) - 1;
    if (first[e] == 0 || clock[i] < first[e]) first[e] = clock[i];
    if (clock[i] > last[e]) last[e] = clock[i];
  }
}

// The largest absolute value of a column; NaN where a value is not finite. The bits of a number
// without its sign are in the order of its size, and those of infinity and NaN above all.
inline double column_size(const double* x, std::size_t n, int threads) {
  constexpr std::size_t piece = std::size_t{1} << 18;
  constexpr std::uint64_t magnitude = ~(std::uint64_t{1} << 63);
  const std::size_t pieces = (n + piece - 1) / piece;
  std::vector<std::uint64_t> largest(pieces, 0);
  for_each_piece(pieces, threads, [&](std::size_t p) {
    std::uint64_t most[4] = {0, 0, 0, 0};
    auto see = [&](double value, std::size_t lane) {
      std::uint64_t bits;
      std::memcpy(&bits, &value, sizeof bits);
      bits &= magnitude;
      most[lane] = bits > most[lane] ? bits : most[lane];
    };
    const std::size_t end = std::min(n, (p + 1) * piece);
    std::size_t i = p * piece;
    for (; i + 4 <= end; i += 4)
      for (std::size_t lane = 0; lane < 4; ++lane) see(x[i + lane], lane);
    for (; i < end; ++i) see(x[i], 0);
    largest[p] = std::max(std::max(most[0], most[1]), std::max(most[2], most[3]));
  });
  const std::uint64_t bits = pieces == 0 ? 0 : *std::max_element(largest.begin(), largest.end());
  double out;
  std::memcpy(&out, &bits, sizeof out);
  return out <= std::numeric_limits<double>::max() ? out : std::numeric_limits<double>::quiet_NaN();
}

// Shifts along the clock: `give(row, from)` is called for each row with the row of the same
// entity `lag` ticks before, or with -1. A negative lag looks ahead.
//
// Rows in `order` (from 1; null: as they are), by entity and within one by rising clock: a
// cursor trails each row by the lag.
template <class Give>
void shift_in_order(const int* entity, const int* clock, const int* order, std::size_t n, int lag,
                    Give&& give) {
  auto row = [&](std::size_t at) { return order ? static_cast<std::size_t>(order[at]) - 1 : at; };
  std::size_t cursor = 0;
  for (std::size_t at = 0; at < n; ++at) {
    const std::size_t r = row(at);
    const long long wanted = static_cast<long long>(clock[r]) - lag;
    while (cursor < n) {
      const std::size_t o = row(cursor);
      if (entity[o] > entity[r] || (entity[o] == entity[r] && clock[o] >= wanted)) break;
      ++cursor;
    }
    const std::size_t o = cursor < n ? row(cursor) : r;
    const bool found = cursor < n && entity[o] == entity[r] && clock[o] == wanted;
    give(r, found ? static_cast<long long>(o) : -1);
  }
}

// The same for rows in any order, through a table of the grid's cells, which holds what
// `take(row)` gives; `give(row, value)` gets it, `none` where the cell is empty.
template <class Value, class Take, class Give>
void shift_by_table(const int* entity, const int* clock, std::size_t n, std::size_t entities,
                    std::size_t periods, int lag, int threads, Value none, Take&& take, Give&& give) {
  const std::unique_ptr<Value[]> table(new Value[entities * periods]);
  auto cell = [&](std::size_t r) {
    return static_cast<std::size_t>(entity[r] - 1) * periods + static_cast<std::size_t>(clock[r] - 1);
  };
  const long long span = static_cast<long long>(periods);
  constexpr std::size_t piece = 1 << 20, ahead = 24;  // rows whose cells are fetched in advance
  // Every row has a cell of its own, so that pieces of rows can be worked on side by side.
  auto by_piece = [&](std::size_t count, auto&& body) {
    for_each_piece((count + piece - 1) / piece, threads,
                   [&](std::size_t p) { body(p * piece, std::min(count, (p + 1) * piece)); });
  };
  by_piece(entities * periods, [&](std::size_t begin, std::size_t end) {
    std::fill(table.get() + begin, table.get() + end, none);
  });
  by_piece(n, [&](std::size_t begin, std::size_t end) {
    for (std::size_t r = begin; r < end; ++r) {
      if (r + ahead < end) __builtin_prefetch(&table[cell(r + ahead)], 1);
      table[cell(r)] = take(r);
    }
  });
  by_piece(n, [&](std::size_t begin, std::size_t end) {
    for (std::size_t r = begin; r < end; ++r) {
      if (r + ahead < end) __builtin_prefetch(&table[cell(r + ahead)], 0);
      const long long wanted = static_cast<long long>(clock[r]) - lag;
      give(r, wanted >= 1 && wanted <= span ? table[cell(r) - lag] : none);
    }
  });
}

}  // namespace wavetax
