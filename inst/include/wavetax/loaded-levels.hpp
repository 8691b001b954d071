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

// One piece of rows that hold whole groups: its columns are made once, their levels taken off, and what is left goes into
// the factor.
inline void load_piece(const Rows& rows, const Groups& groups, const double* loading, const double* centre,
                       std::size_t begin, std::size_t end, LoadedLevels& out, TriangleSink& sink) {
  const std::size_t width = rows.width(), count = end - begin;
  Numbers columns(width * count), values(block_rows * std::max<std::size_t>(1, width));
  for (std::size_t c = 0; c < width; ++c) {
    double* const z = columns.data() + c * count;
    const double* const made = rows.read(c, begin, count, z, centre[c]);
    if (made != z)
      for (std::size_t r = 0; r < count; ++r) z[r] = made[r] - centre[c];
  }
  const double* const tau = loading + begin;
  const int* const code = groups.codes + begin;
  for (std::size_t at = 0; at < count;) {
    std::size_t stop = at + 1;
    while (stop < count && code[stop] == code[at]) ++stop;
    const std::size_t group = static_cast<std::size_t>(code[at]) - 1;
    double weight = 0.0;
    for (std::size_t r = at; r < stop; ++r) weight += tau[r] * tau[r];
    out.weight[group] = weight;
    const int rounds = stop - at > OneWayState::short_group ? 2 : 1;
    for (std::size_t c = 0; c < width && weight > 0.0; ++c) {
      double* const z = columns.data() + c * count;
      for (int round = 0; round < rounds; ++round) {
        double sum = 0.0;
        for (std::size_t r = at; r < stop; ++r) sum += tau[r] * z[r];
        const double level = sum / weight;
        for (std::size_t r = at; r < stop; ++r) z[r] -= tau[r] * level;
        out.levels[group * width + c] += level;
      }
    }
    at = stop;
  }
  for (std::size_t at = 0; at < count; at += block_rows) {
    Block block;
    block.begin = begin + at;
    block.count = std::min(block_rows, count - at);
    block.width = width;
    block.values = values.data();
    for (std::size_t c = 0; c < width; ++c)
      std::copy_n(columns.data() + c * count + at, block.count, block.column(c));
    sink.add(block);
  }
}

// Of the columns less `centre`. In long groups rounding adds up, so their levels are taken in two rounds.
inline LoadedLevels loaded_levels(const Rows& rows, const Groups& groups, const double* loading, const double* centre,
                                  int threads) {
  const std::size_t width = rows.width(), count = groups.count;
  LoadedLevels out(width);
  out.weight = zeros(count);
  out.levels = zeros(count * width);
  if (groups.sorted) {
    const std::vector<std::size_t> cuts = group_cuts(groups, rows.n, piece_rows);
    std::vector<TriangleSink> parts(cuts.size() - 1, TriangleSink(width));
    for_each_piece(parts.size(), threads, [&](std::size_t piece) {
      load_piece(rows, groups, loading, centre, cuts[piece], cuts[piece + 1], out, parts[piece]);
      parts[piece].finish();
    });
    for (const TriangleSink& part : parts) out.within.merge(part.triangle);
    return out;
  }
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
