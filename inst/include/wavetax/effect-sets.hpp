// Sets of effects, and rows in the order of the groups of the first of them.
//
// A set has a level for each of its groups and loadings (ones, a trend); its loadings are
// orthogonal within each group, so that its own normal equations are diagonal. A set with a ridge
// has random effects: its levels are shrunken.
#pragma once

#include <algorithm>
#include <cstddef>
#include <vector>

#include "groups.hpp"
#include "parallel.hpp"

namespace wavetax {

struct EffectSet {
  Groups groups;
  std::vector<const double*> loadings;  // by row; a null pointer stands for ones
  double ridge = 0.0;
};

// One loading of a set, and where its levels lie among the unknowns of a system.
struct Term {
  Groups groups;
  const double* loading = nullptr;
  double ridge = 0.0;
  std::size_t offset = 0;

  double load(std::size_t row) const { return loading ? loading[row] : 1.0; }
  std::size_t unknown(std::size_t row) const { return offset + groups.of(row); }
};

// Work on groups is cut into this many parts whatever the number of threads, and sums are
// added part by part, so that the digits do not depend on the threads.
constexpr std::size_t lanes = 4;

inline void add_lanes(const std::vector<Numbers>& parts, Numbers& sum) {
  sum = parts[0];
  for (std::size_t l = 1; l < parts.size(); ++l)
    for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += parts[l][i];
}

// Places: rows in the order of the groups of the first set. Where they do not stand so already, what
// is needed of them is copied (codes, loadings and weights of the sets, never columns).
class RowOrder {
 public:
  std::vector<std::size_t> start;  // where each group's places begin
  std::vector<std::size_t> lane;   // the first group of each lane, and the end
  std::vector<Term> first, others; // with codes and loadings by place
  const double* weights = nullptr; // by place

  RowOrder(std::size_t n, const std::vector<Term>& by_row, const std::vector<Term>& others_by_row,
           const double* weights_by_row, int threads)
      : first(by_row), others(others_by_row), n_(n), threads_(threads), row_groups_(by_row[0].groups) {
    const Groups& groups = row_groups_;
    start.assign(groups.count + 1, 0);
    for (std::size_t g = 0; groups.sizes && g < groups.count; ++g) start[g + 1] = static_cast<std::size_t>(groups.sizes[g]);
    for (std::size_t r = 0; !groups.sizes && r < n; ++r) ++start[static_cast<std::size_t>(groups.codes[r])];
    for (std::size_t g = 0; g < groups.count; ++g) start[g + 1] += start[g];
    if (!groups.sorted && (!others.empty() || first.size() > 1 || first[0].loading)) move_terms();
    set_weights(weights_by_row);
    lane.assign(1, 0);
    for (std::size_t l = 1; l < lanes; ++l)
      lane.push_back(static_cast<std::size_t>(std::lower_bound(start.begin(), start.end() - 1, n * l / lanes) -
                                              start.begin()));
    lane.push_back(groups.count);
  }
  RowOrder(const RowOrder&) = delete;
  RowOrder& operator=(const RowOrder&) = delete;

  // Whether all sets have levels and nothing else, and rows weigh one.
  bool is_plain() const {
    auto has_levels = [](const Term& term) { return !term.loading; };
    return !weights && first.size() == 1 && has_levels(first[0]) &&
           std::all_of(others.begin(), others.end(), has_levels);
  }

  double weight(std::size_t place) const { return weights ? weights[place] : 1.0; }

  void set_weights(const double* by_row) {
    weights = by_row;
    if (!by_row || row_groups_.sorted) return;
    moved_weights_ = zeros(n_);
    move(places(), by_row, moved_weights_.data());
    weights = moved_weights_.data();
  }

  // The place of each row, by a counting sort; empty where rows stand in order. It is made when it is
  // wanted: nothing of a fit needs it for long.
  std::vector<int> places() const {
    std::vector<int> out;
    if (row_groups_.sorted) return out;
    std::vector<int> next(start.begin(), start.end() - 1);
    allocate(out, n_);
    for (std::size_t r = 0; r < n_; ++r) {
      if (r + fetch_ahead < n_) __builtin_prefetch(&next[row_groups_.of(r + fetch_ahead)], 1);
      out[r] = next[row_groups_.of(r)]++;
    }
    return out;
  }

  template <class Body>
  void for_each_lane(Body&& body) const {
    for_each_piece(lanes, threads_, body);
  }

 private:
  void move_terms() {
    const std::vector<int> place = places();
    const int* before = nullptr;
    for (Term& term : others) {
      if (term.groups.codes != before) {
        before = term.groups.codes;
        moved_codes_.emplace_back();
        allocate(moved_codes_.back(), n_);
        move(place, term.groups.codes, moved_codes_.back().data());
      }
      term.groups.codes = moved_codes_.back().data();
      term.groups.sorted = false;
      term.loading = moved_loading(place, term.loading);
    }
    for (Term& term : first) term.loading = moved_loading(place, term.loading);
  }

  const double* moved_loading(const std::vector<int>& place, const double* loading) {
    if (!loading) return nullptr;
    moved_loadings_.push_back(zeros(n_));
    move(place, loading, moved_loadings_.back().data());
    return moved_loadings_.back().data();
  }

  template <class Value>
  void move(const std::vector<int>& place, const Value* from, Value* to) const {
    const std::size_t piece = std::size_t{1} << 18;
    for_each_piece((n_ + piece - 1) / piece, threads_, [&](std::size_t p) {
      const std::size_t end = std::min(n_, (p + 1) * piece);
      for (std::size_t r = p * piece; r < end; ++r) {
        if (r + fetch_ahead < end) __builtin_prefetch(&to[place[r + fetch_ahead]], 1);
        to[place[r]] = from[r];
      }
    });
  }

  std::size_t n_;
  int threads_;
  Groups row_groups_;  // of the first set, by row
  std::vector<std::vector<int>> moved_codes_;
  std::vector<Numbers> moved_loadings_;
  Numbers moved_weights_;
};

}  // namespace wavetax
