// Rows without which the graph of two sets' levels falls apart: under effects of both they are fitted whatever
// their outcome.
#pragma once

#include <algorithm>
#include <array>
#include <cstddef>
#include <utility>
#include <vector>

#include "groups.hpp"

namespace wavetax {

// The levels that the rows of each group have of another set: those of group g from start[g]. Rows of sorted groups are
// seen in place; of others each level is put where it belongs once, so that what reads them reads memory in order.
class LevelsByGroup {
 public:
  LevelsByGroup(const Groups& of, const Groups& across, std::size_t n) : start(group_starts(of, n)), codes_(across.codes) {
    if (of.sorted) return;
    allocate(levels_, n);
    std::vector<std::size_t> next(start.begin(), start.end() - 1);
    for (std::size_t i = 0; i < n; ++i) {
      if (i + 2 * fetch_ahead < n) __builtin_prefetch(next.data() + of.of(i + 2 * fetch_ahead), 1);
      if (i + fetch_ahead < n) __builtin_prefetch(levels_.data() + next[of.of(i + fetch_ahead)], 1);
      levels_[next[of.of(i)]++] = across.codes[i];
    }
    codes_ = levels_.data();
  }
  LevelsByGroup(const LevelsByGroup&) = delete;
  LevelsByGroup& operator=(const LevelsByGroup&) = delete;

  std::size_t of(std::size_t place) const { return static_cast<std::size_t>(codes_[place]) - 1; }

  std::vector<std::size_t> start;

 private:
  std::vector<int> levels_;
  const int* codes_;
};

// Whether every row lies on a cycle through another group that has two of its own group's neighbouring levels, or shares
// its cell with another row: then no row is a bridge. Quick where one set has few levels, as periods are.
inline bool all_on_short_cycles(const Groups& of, const Groups& across, std::size_t n) {
  constexpr std::size_t most = 1024;
  if (across.count > most) return false;
  const LevelsByGroup levels(of, across, n);
  std::vector<int> seen(across.count * across.count, 0);  // the group that has a pair: 0 none, -1 several
  const auto who = [&](std::size_t a, std::size_t b) -> int& { return seen[std::min(a, b) * across.count + std::max(a, b)]; };
  for (std::size_t g = 0; g < of.count; ++g) {
    const int group = static_cast<int>(g) + 1;
    for (std::size_t at = levels.start[g]; at + 1 < levels.start[g + 1]; ++at) {
      int& one = who(levels.of(at), levels.of(at + 1));
      one = one == 0 || one == group ? group : -1;
    }
  }
  for (std::size_t g = 0; g < of.count; ++g) {
    bool before = false;  // whether the pair with the row before is shared
    for (std::size_t at = levels.start[g]; at < levels.start[g + 1]; ++at) {
      bool after = false;
      if (at + 1 < levels.start[g + 1]) {
        const std::size_t a = levels.of(at), b = levels.of(at + 1);
        after = a == b || who(a, b) == -1;
      }
      if (!before && !after) return false;
      before = after;
    }
  }
  return true;
}

// The bridges, in order of rows. Vertices are the levels of both sets, edges the rows; an edge is a bridge where no
// other way leads from below it in a depth first search to above it.
inline std::vector<std::size_t> bridges(const Groups& first, const Groups& second, std::size_t n) {
  check_countable(first.count + second.count);
  const bool larger = first.count >= second.count;
  const Groups &of = larger ? first : second, &across = larger ? second : first;
  std::vector<std::size_t> out;
  if (all_on_short_cycles(of, across, n)) return out;
  const RowsByGroup rows(of, n), others(across, n);
  const std::size_t vertices = of.count + across.count, none = static_cast<std::size_t>(-1);
  std::vector<std::size_t> found(vertices, 0), low(vertices, 0), next(vertices), by(vertices, none), path;
  const auto begin = [&](std::size_t v) { return v < of.count ? rows.start[v] : others.start[v - of.count]; };
  const auto end = [&](std::size_t v) { return v < of.count ? rows.start[v + 1] : others.start[v - of.count + 1]; };
  const auto edge = [&](std::size_t v, std::size_t at) { return v < of.count ? rows.at(at) : others.at(at); };
  for (std::size_t v = 0; v < vertices; ++v) next[v] = begin(v);
  std::size_t clock = 0;
  for (std::size_t root = 0; root < vertices; ++root) {
    if (found[root] > 0) continue;
    found[root] = low[root] = ++clock;
    path.assign(1, root);
    while (!path.empty()) {
      const std::size_t v = path.back();
      if (next[v] < end(v)) {
        const std::size_t row = edge(v, next[v]++);
        if (row == by[v]) continue;
        const std::size_t to = v < of.count ? of.count + across.of(row) : of.of(row);
        if (found[to] > 0) {
          low[v] = std::min(low[v], found[to]);
        } else {
          found[to] = low[to] = ++clock;
          by[to] = row;
          path.push_back(to);
        }
        continue;
      }
      path.pop_back();
      if (path.empty()) continue;
      low[path.back()] = std::min(low[path.back()], low[v]);
      if (low[v] == found[v]) out.push_back(by[v]);
    }
  }
  std::sort(out.begin(), out.end());
  return out;
}

// Of rows that come in pieces: edges enough to tell the bridges of all rows, those of two spanning forests, the second
// of what the first leaves (Nagamochi & Ibaraki 1992). Those of two parts of the rows, taken together, give those of both.
class CutCertificate {
 public:
  // Levels are numbered from 1.
  void add(int first, int second) {
    check_countable(static_cast<std::size_t>(std::max(first, second)));
    for (std::vector<int>& forest : forests_) {
      const std::size_t a = root(forest, 2 * static_cast<std::size_t>(first)),
                        b = root(forest, 2 * static_cast<std::size_t>(second) + 1);
      if (a == b) continue;
      forest[a] = static_cast<int>(b);
      edges_.emplace_back(first, second);
      return;
    }
  }
  const std::vector<std::pair<int, int>>& edges() const { return edges_; }

 private:
  // Levels of the first set are the even vertices, those of the second the odd ones.
  static std::size_t root(std::vector<int>& forest, std::size_t v) {
    for (std::size_t next = forest.size(); next <= v; ++next) forest.push_back(static_cast<int>(next));
    while (static_cast<std::size_t>(forest[v]) != v) {
      forest[v] = forest[static_cast<std::size_t>(forest[v])];
      v = static_cast<std::size_t>(forest[v]);
    }
    return v;
  }
  std::array<std::vector<int>, 2> forests_;
  std::vector<std::pair<int, int>> edges_;
};

}  // namespace wavetax
