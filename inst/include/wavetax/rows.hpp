// Rows of a regression, seen in place: nothing is copied from the caller.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <vector>

#include "ar1.hpp"
#include "groups.hpp"
#include "pairs.hpp"

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
  // A root of the inverse correlation of their disturbances, under which columns are read; a null pointer means none.
  // It holds the roots of weights too, so that rows have none.
  const Ar1Root* root = nullptr;

  std::size_t width() const { return columns.size(); }
  double weight(std::size_t row) const { return weights ? weights[row] : 1.0; }

  // Where rows [begin, begin + count) of a column stand: in place, or in `room`, which holds as many. The one way in
  // which columns are read, so that one that is made as it is read is made here. Under a root, the column less `centre`.
  const double* read(std::size_t column, std::size_t begin, std::size_t count, double* room, double centre = 0.0) const {
    if (root) {
      root->read(columns[column], centre, begin, count, room);
      return room;
    }
    if (columns[column]) return columns[column] + begin;
    std::fill(room, room + count, 1.0);
    return room;
  }

  // The same with room that grows where it is wanted.
  const double* read(std::size_t column, std::size_t begin, std::size_t count, std::vector<double>& room) const {
    if ((root || !columns[column]) && room.size() < count) room.resize(count);
    return read(column, begin, count, room.data());
  }
};

constexpr std::size_t not_stored = static_cast<std::size_t>(-1);

// Where the levels of a block's rows stand, and what they are taken times: by row, or by run of rows of
// one group.
struct LevelPlaces {
  std::size_t runs = 0;  // 0: by row
  std::array<std::size_t, block_rows> at, stop;
  std::array<double, block_rows> factor;
  const double* loading = nullptr;  // of runs, by row besides; null: 1
};

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

  // Whether the levels are taken off as they are.
  bool is_plain() const { return !theta && !loading; }

  void find(std::size_t begin, std::size_t count, LevelPlaces& places) const {
    const int* const code = groups.codes + begin;
    places.runs = 0;
    places.loading = loading ? loading + begin : nullptr;
    if (groups.sorted) {
      for (std::size_t r = 0; r < count;) {
        const std::size_t run = places.runs++;
        const int group = code[r];
        places.at[run] = (static_cast<std::size_t>(group) - 1) * width;
        if (theta) places.factor[run] = theta[group - 1];
        while (r < count && code[r] == group) ++r;
        places.stop[run] = r;
      }
      return;
    }
    for (std::size_t r = 0; r < count; ++r) places.at[r] = (static_cast<std::size_t>(code[r]) - 1) * width;
    if (!groups.sorted)
      for (std::size_t r = 0; r < count; ++r) __builtin_prefetch(levels + places.at[r]);
    if (theta || loading)
      for (std::size_t r = 0; r < count; ++r)
        places.factor[r] = (theta ? theta[code[r] - 1] : 1.0) * (loading ? loading[begin + r] : 1.0);
  }

  // out = (in - less) - (what the layer has of one column, less `from`), for the rows of a block;
  // `in` may be `out`.
  void take_off(const LevelPlaces& places, std::size_t count, std::size_t column, double from, const double* in,
                double less, double* out) const {
    const double* const level = levels + column;
    const bool as_they_are = is_plain() && from == less;
    if (places.runs > 0) {
      for (std::size_t run = 0, r = 0; run < places.runs; r = places.stop[run++]) {
        const double one = level[places.at[run]];
        if (as_they_are) {
          subtract(in + r, one, places.stop[run] - r, out + r);
        } else if (loading) {
          const double level_of_run = (theta ? places.factor[run] : 1.0) * (one - from);
          for (std::size_t i = r; i < places.stop[run]; ++i) out[i] = (in[i] - less) - places.loading[i] * level_of_run;
        } else {
          subtract(in + r, less, theta ? places.factor[run] * (one - from) : one - from, places.stop[run] - r, out + r);
        }
      }
    } else if (as_they_are) {
      for (std::size_t r = 0; r < count; ++r) out[r] = in[r] - level[places.at[r]];
    } else if (theta || loading) {
      for (std::size_t r = 0; r < count; ++r) out[r] = (in[r] - less) - places.factor[r] * (level[places.at[r]] - from);
    } else {
      for (std::size_t r = 0; r < count; ++r) out[r] = (in[r] - less) - (level[places.at[r]] - from);
    }
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
  const double* ones = nullptr;    // by group of the first layer, what is left of the column of ones; null: see theta
  bool scale_by_weight = false;    // multiply the row by the root of its weight

  // Writes rows [begin, begin + count) into `block`, column by column,
  // `block_rows` doubles apart. `places` is room to work in.
  void fill(const Rows& rows, std::size_t begin, std::size_t count, LevelPlaces& places, double* block) const {
    for (std::size_t l = 0; l < layers.size(); ++l) {
      layers[l].find(begin, count, places);
      for (std::size_t c = 0; c < rows.width(); ++c) {
        if (is_constant(c)) continue;
        const double middle = centre ? centre[c] : 0.0, from = layers[l].holds_centre ? middle : 0.0;
        const double less = l == 0 && !rows.root ? middle : 0.0;
        double* const out = block + c * block_rows;
        const double* const in = l == 0 ? rows.read(c, begin, count, out, middle) : out;
        layers[l].take_off(places, count, pick.empty() ? c : pick[c], from, in, less, out);
      }
    }
    for (std::size_t c = 0; c < rows.width(); ++c) {
      double* out = block + c * block_rows;
      if (is_constant(c)) {
        fill_ones(rows, c, begin, count, shift ? shift[c] : 0.0, out);
        if (!(scale_by_weight && rows.weights)) continue;
      } else if (layers.empty()) {
        const double middle = centre ? centre[c] : 0.0;
        const double* const in = rows.read(c, begin, count, out, middle);
        if (in != out) subtract(in, middle, count, out);
      }
      if (shift && shift[c] != 0.0 && !is_constant(c))
        for (std::size_t r = 0; r < count; ++r) out[r] += shift[c];
      if (scale_by_weight && rows.weights)
        for (std::size_t r = 0; r < count; ++r) out[r] *= std::sqrt(rows.weights[begin + r]);
    }
  }

 private:
  bool is_constant(std::size_t c) const { return !pick.empty() && pick[c] == not_stored; }

  // The column of ones, whose mean in a group is 1, and `more`.
  void fill_ones(const Rows& rows, std::size_t c, std::size_t begin, std::size_t count, double more, double* out) const {
    if (rows.root) {
      rows.read(c, begin, count, out);
      if (!ones) return;
      const int* const code = layers.front().groups.codes + begin;
      for (std::size_t r = 0; r < count; ++r) out[r] *= ones[code[r] - 1];
      return;
    }
    if (layers.empty() || !layers.front().theta) {
      std::fill(out, out + count, (layers.empty() ? 1.0 : 0.0) + more);
      return;
    }
    const Layer& layer = layers.front();
    for (std::size_t r = 0; r < count; ++r) out[r] = 1.0 - layer.theta[layer.groups.of(begin + r)] + more;
  }
};

}  // namespace wavetax
