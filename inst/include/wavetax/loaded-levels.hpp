// Rows less their regression, group by group, on one column: levels that a row holds by its loading.
#pragma once

#include <algorithm>
#include <cstddef>
#include <vector>

#include "effect-sets.hpp"
#include "oneway.hpp"
#include "sinks.hpp"
#include "visit.hpp"

namespace wavetax {

struct LoadedLevels {
  Numbers weight;   // by group: the sum of squares of the loading
  Numbers levels;   // groups x width, one group after another
  Triangle within;  // the factor of what is left

  explicit LoadedLevels(std::size_t width) : within(width) {}
};

// Of the columns less `centre`. In long groups rounding adds up, so their levels are taken in two rounds.
inline LoadedLevels loaded_levels(const Rows& rows, const Groups& groups, const double* loading, const double* centre,
                                  int threads) {
  const std::size_t width = rows.width(), count = groups.count;
  LoadedLevels out(width);
  out.weight = zeros(count);
  out.levels = zeros(count * width);
  for (std::size_t r = 0; r < rows.n; ++r) out.weight[groups.of(r)] += loading[r] * loading[r];
  Term term;
  term.groups = groups;
  term.loading = loading;
  Layer layer;
  layer.groups = groups;
  layer.levels = out.levels.data();
  layer.width = width;
  layer.loading = loading;
  Sweep as_is, sweep;
  as_is.centre = sweep.centre = centre;
  sweep.layers = {layer};
  View view;
  view.rows = &rows;
  const int longest = count == 0 ? 0 : *std::max_element(groups.sizes, groups.sizes + count);
  const int rounds = longest > static_cast<int>(OneWayState::short_group) ? 2 : 1;
  for (int round = 0; round < rounds; ++round) {
    view.sweep = round == 0 ? &as_is : &sweep;
    const LevelSumSink sums = visit(view, LevelSumSink({term}, count, width), threads);
    for (std::size_t g = 0; g < count; ++g)
      if (out.weight[g] > 0.0)
        for (std::size_t c = 0; c < width; ++c) out.levels[g * width + c] += sums.values()[g * width + c] / out.weight[g];
  }
  out.within = accumulate_triangle(rows, sweep, threads);
  return out;
}

}  // namespace wavetax
