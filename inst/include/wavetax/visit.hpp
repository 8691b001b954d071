// One walk over the rows of a regression, and whatever is summed up on the way.
//
// visit() sweeps rows block by block and hands each block to a sink. A sink is a type with
//   std::vector<std::size_t> cuts(std::size_t n) const   how rows are cut into pieces
//   Sink part() const                                    an empty one, for one piece
//   void add(Block& block)                               takes a block in; may spoil its values
//   void merge(const Sink& other)                        joins a piece; pieces come in order
//   void finish()                                        after a piece's last block, and the last piece
// Cuts never depend on the number of threads, and neither does any result. Sinks of rows that are
// read in pieces merge in the same way.
#pragma once

#include <algorithm>
#include <cstddef>
#include <optional>
#include <vector>

#include "pairs.hpp"
#include "parallel.hpp"
#include "rows.hpp"

namespace wavetax {

struct Block {
  std::size_t begin = 0, count = 0;  // of its rows
  std::size_t width = 0;
  double* values = nullptr;          // swept columns, one after another, `block_rows` apart
  double* combined = nullptr;        // by row the combination that the view asks for
  const double* weights = nullptr;   // of its rows; null: 1

  double* column(std::size_t c) const { return values + c * block_rows; }
  double weight(std::size_t i) const { return weights ? weights[i] : 1.0; }
};

// Rows, what is swept from them, and a combination of the swept columns: with the coefficients
// (-b, 1) of [x, y] the residuals, with (b, 0) the fitted part. Any column can be an outcome.
// `offsets` are layers of one column, taken off the combination alone: levels that were combined
// before, where the columns themselves are not swept or not wanted.
struct View {
  const Rows* rows = nullptr;
  const Sweep* sweep = nullptr;
  const double* combination = nullptr;  // by column; null: none
  std::vector<Layer> offsets;
  const double* inflate = nullptr;  // by row, times the combination at last; null: 1
};

// Rows [begin, end) into one sink.
template <class Sink>
void visit_rows(const View& view, std::size_t begin, std::size_t end, Sink& sink) {
  const std::size_t width = view.rows->width();
  Numbers values(block_rows * std::max<std::size_t>(1, width)), combined(block_rows, 0.0), taken;
  std::size_t first = 0;  // columns before it are not in the combination
  while (view.combination && first < width && view.combination[first] == 0.0) ++first;
  if (view.combination)
    for (std::size_t c = width; c-- > first;) taken.push_back(-view.combination[c]);
  LevelPlaces places;
  for (std::size_t at = begin; at < end; at += block_rows) {
    Block block;
    block.begin = at;
    block.count = std::min(block_rows, end - at);
    block.width = width;
    block.values = values.data();
    block.combined = combined.data();
    if (view.rows->weights) block.weights = view.rows->weights + at;
    view.sweep->fill(*view.rows, at, block.count, places, block.values);
    if (view.combination && width > 0) {
      std::fill_n(combined.begin(), block.count, 0.0);
      take_all(block.column(width - 1), -static_cast<std::ptrdiff_t>(block_rows), taken.data(), taken.size(), 1.0,
               block.count, combined.data());
      for (const Layer& layer : view.offsets) {
        layer.find(at, block.count, places);
        layer.take_off(places, block.count, 0, 0.0, combined.data(), 0.0, combined.data());
      }
      if (view.inflate)
        for (std::size_t i = 0; i < block.count; ++i) combined[i] *= view.inflate[at + i];
    }
    sink.add(block);
  }
}

template <class Sink>
Sink visit(const View& view, Sink whole, int threads) {
  const std::vector<std::size_t> cuts = whole.cuts(view.rows->n);
  std::vector<std::optional<Sink>> parts(cuts.size() - 1);
  for_each_piece(parts.size(), threads, [&](std::size_t p) {
    parts[p].emplace(whole.part());
    visit_rows(view, cuts[p], cuts[p + 1], *parts[p]);
    parts[p]->finish();
  });
  for (std::optional<Sink>& part : parts) {
    whole.merge(*part);
    part.reset();
  }
  whole.finish();
  return whole;
}

}  // namespace wavetax
