// Whole columns: laid out anew, or told apart by group.
#pragma once

#include <algorithm>
#include <cstddef>
#include <numeric>
#include <vector>

#include "parallel.hpp"

namespace wavetax {

// Columns of n values, one a period, to one vector entity by entity:
// out[i * periods + p] = columns[p][i]. A null column gives `none`.
template <class Value>
void interleave(const std::vector<const Value*>& columns, std::size_t n, Value none, Value* out,
                int threads) {
  constexpr std::size_t together = 16;  // rows whose output stays in the cache
  const std::size_t periods = columns.size(), piece_size = 4096;
  for_each_piece((n + piece_size - 1) / piece_size, threads, [&](std::size_t piece) {
    const std::size_t last = std::min(n, (piece + 1) * piece_size);
    for (std::size_t at = piece * piece_size; at < last; at += together) {
      const std::size_t stop = std::min(last, at + together);
      for (std::size_t p = 0; p < periods; ++p) {
        const Value* x = columns[p];
        for (std::size_t i = at; i < stop; ++i) out[i * periods + p] = x ? x[i] : none;
      }
    }
  });
}

// Each positive value over the lower median of its group's positive ones; 1 for other values, rows of no
// group (code 0), and groups of fewer than `least` such values.
inline Numbers ratios_to_median(const double* x, const int* codes, std::size_t n, std::size_t groups, std::size_t least) {
  const auto used = [&](std::size_t i) { return codes[i] > 0 && x[i] > 0.0 && std::isfinite(x[i]); };
  const auto median_of = [&](double* first, double* end) {
    const std::size_t size = static_cast<std::size_t>(end - first);
    if (size < least || size == 0) return 0.0;
    double* const middle = first + (size - 1) / 2;
    std::nth_element(first, middle, end);
    return *middle;
  };
  // Rows of a group often stand together.
  const auto in_blocks = [&] {
    std::vector<char> seen(groups + 1, 0);
    for (std::size_t i = 0; i < n; ++i) {
      if (i > 0 && codes[i] == codes[i - 1]) continue;
      char& before = seen[static_cast<std::size_t>(codes[i])];
      if (before && codes[i] > 0) return false;
      before = 1;
    }
    return true;
  };
  Numbers values, out(n, 1.0);
  if (in_blocks()) {
    for (std::size_t i = 0; i < n;) {
      std::size_t end = i;
      values.clear();
      for (; end < n && codes[end] == codes[i]; ++end)
        if (used(end)) values.push_back(x[end]);
      const double median = median_of(values.data(), values.data() + values.size());
      for (; i < end; ++i)
        if (median > 0.0 && used(i)) out[i] = x[i] / median;
    }
    return out;
  }
  std::vector<std::size_t> start(groups + 1, 0);
  for (std::size_t i = 0; i < n; ++i)
    if (used(i)) ++start[static_cast<std::size_t>(codes[i])];
  std::partial_sum(start.begin(), start.end(), start.begin());
  std::vector<std::size_t> next(start.begin(), start.end() - 1);
  Numbers median(groups, 0.0);
  values.resize(start[groups]);
  for (std::size_t i = 0; i < n; ++i)
    if (used(i)) values[next[static_cast<std::size_t>(codes[i]) - 1]++] = x[i];
  for (std::size_t g = 0; g < groups; ++g) median[g] = median_of(values.data() + start[g], values.data() + start[g + 1]);
  for (std::size_t i = 0; i < n; ++i)
    if (used(i) && median[static_cast<std::size_t>(codes[i]) - 1] > 0.0)
      out[i] = x[i] / median[static_cast<std::size_t>(codes[i]) - 1];
  return out;
}

// Rows whose ratio is `least` or more above 1 (below, where not `up`), and further out than the ratios' own
// spread makes likely: with an exponential tail beyond the distance that a twentieth of the n values on
// that side exceeds, the furthest lies near that plus scale * log(n / 20), and 5 scales more come once in
// 150 such columns.
inline std::vector<std::size_t> far_rows(const Numbers& ratios, double least, bool up) {
  const auto beyond = [&](double ratio) { return up ? ratio : 1.0 / ratio; };
  std::vector<std::size_t> out;
  const auto ends = std::minmax_element(ratios.begin(), ratios.end());
  if (ratios.empty() || beyond(up ? *ends.second : *ends.first) < least) return out;
  std::vector<double> side;
  for (const double ratio : ratios)
    if (up ? ratio > 1.0 : ratio < 1.0) side.push_back(beyond(ratio));
  const std::size_t n = side.size();
  const auto at = [&](std::size_t from_top) { return side.begin() + static_cast<std::ptrdiff_t>(n - from_top - 1); };
  std::nth_element(side.begin(), at(n / 2), side.end());
  std::nth_element(at(n / 2), at(n / 20), side.end());
  const double middle = std::log(*at(n / 2)), tail = std::log(*at(n / 20));
  const double scale = (tail - middle) / std::log(10.0);
  const double limit = std::max(least, std::exp(tail + scale * (std::log(static_cast<double>(n) / 20.0) + 5.0)));
  for (std::size_t i = 0; i < ratios.size(); ++i)
    if ((up ? ratios[i] > 1.0 : ratios[i] < 1.0) && beyond(ratios[i]) >= limit) out.push_back(i);
  return out;
}

// What a column's numbers are: whether all are whole (below 2^53, or missing), and the largest size.
struct NumberFacts {
  bool whole = true;
  double largest = 0.0;
};

template <class IsMissing>
NumberFacts number_facts(const double* x, std::size_t n, IsMissing&& is_missing) {
  NumberFacts out;
  for (std::size_t i = 0; i < n; ++i) {
    const double size = std::fabs(x[i]);
    if (!(size < 9007199254740992.0) || size != std::trunc(size)) out.whole = out.whole && is_missing(x[i]);
    if (size > out.largest) out.largest = size;
  }
  return out;
}

}  // namespace wavetax
