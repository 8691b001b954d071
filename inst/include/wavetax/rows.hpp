// Rows of a regression, seen in place: nothing is copied from the caller.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include "groups.hpp"

namespace wavetax {

// Rows worked on together: small enough for a block to stay in the first cache.
constexpr std::size_t block_rows = 128;
// Rows that make one piece of parallel work: its columns stay in the second cache.
constexpr std::size_t piece_rows = 16384;

// Columns are of no kind: which are regressors, instruments or outcomes is the caller's affair.
struct Rows {
  std::size_t n = 0;
  // A null pointer stands for a column of ones.
  std::vector<const double*> columns;
  // Analytic weights; a null pointer means that every row weighs one.
  const double* weights = nullptr;

  std::size_t width() const { return columns.size(); }
  double weight(std::size_t row) const { return weights ? weights[row] : 1.0; }
};

constexpr std::size_t not_stored = static_cast<std::size_t>(-1);

// Effects of the levels of one grouping: `levels` holds `width` of them for each group,
// one for each stored column, to be taken off a row times its loading.
struct Layer {
  Groups groups;
  const double* levels = nullptr;    // groups x width, one group after another
  std::size_t width = 0;
  const double* theta = nullptr;     // by group, times its levels; null: 1
  const double* loading = nullptr;   // by row, times the levels; null: 1
  // Whether the levels are of the columns as they are, so that a column less its centre has its
  // levels less that centre too.
  bool holds_centre = false;

  // The levels of a block are wanted column after column: have them at hand.
  void fetch(std::size_t begin, std::size_t count) const {
    for (std::size_t r = begin; r < begin + count; ++r) __builtin_prefetch(levels + groups.of(r) * width);
  }

  // Rows [begin, begin + count) of a column less their levels.
  void take_off(std::size_t begin, std::size_t count, std::size_t column, double centre, double* out) const {
    const double from = holds_centre ? centre : 0.0;
    if (!theta && !loading) {
      const int* const code = groups.codes + begin;
      const double* const level = levels + column;
      for (std::size_t r = 0; r < count; ++r)
        out[r] -= level[(static_cast<std::size_t>(code[r]) - 1) * width] - from;
    } else {
      for (std::size_t r = 0; r < count; ++r) out[r] -= at(begin + r, column, from);
    }
  }

  double at(std::size_t row, std::size_t column, double from) const {
    const std::size_t group = groups.of(row);
    double value = levels[group * width + column] - from;
    if (theta) value *= theta[group];
    if (loading) value *= loading[row];
    return value;
  }
};

// What is taken from a row before it enters a regression:
//   z_it - (sum over the layers of theta * level * loading) + shift.
// Group means with theta 1 sweep one set of effects out, with theta between 0 and 1 they
// are the quasi-demeaning of random effects; several layers are several sets of effects.
struct Sweep {
  std::vector<Layer> layers;
  std::vector<std::size_t> pick;   // which of the stored levels each column has; empty: in order
  const double* shift = nullptr;   // by column; null: 0
  const double* centre = nullptr;  // by column, taken off z_it and off its levels first; null: 0
  bool scale_by_weight = false;    // multiply the row by the root of its weight

  // Writes rows [begin, begin + count) into `block`, column by column,
  // `block_rows` doubles apart.
  void fill(const Rows& rows, std::size_t begin, std::size_t count, double* block) const {
    for (const Layer& layer : layers) layer.fetch(begin, count);
    for (std::size_t c = 0; c < rows.width(); ++c) {
      double* out = block + c * block_rows;
      const std::size_t stored = pick.empty() ? c : pick[c];
      if (stored == not_stored) {
        fill_ones(begin, count, out);
      } else {
        fill_column(rows.columns[c], begin, count, stored, centre ? centre[c] : 0.0, out);
      }
      if (shift)
        for (std::size_t r = 0; r < count; ++r) out[r] += shift[c];
      if (scale_by_weight && rows.weights)
        for (std::size_t r = 0; r < count; ++r) out[r] *= std::sqrt(rows.weights[begin + r]);
    }
  }

 private:
  void fill_column(const double* in, std::size_t begin, std::size_t count, std::size_t column,
                   double from, double* out) const {
    if (in && from != 0.0) {
      for (std::size_t r = 0; r < count; ++r) out[r] = in[begin + r] - from;
    } else if (in) {
      std::copy(in + begin, in + begin + count, out);
    } else {
      std::fill(out, out + count, 1.0);
    }
    for (const Layer& layer : layers) layer.take_off(begin, count, column, from, out);
  }

  // The column of ones, whose mean in a group is 1.
  void fill_ones(std::size_t begin, std::size_t count, double* out) const {
    if (layers.empty()) {
      std::fill(out, out + count, 1.0);
      return;
    }
    const Layer& layer = layers.front();
    for (std::size_t r = 0; r < count; ++r) out[r] = layer.theta ? 1.0 - layer.theta[layer.groups.of(begin + r)] : 0.0;
  }
};

}  // namespace wavetax
