// Rows without which the graph of two sets' levels falls apart: under effects of both they are fitted whatever
// their outcome.
#pragma once

#include <algorithm>
#include <cstddef>
#include <numeric>
#include <vector>

#include "groups.hpp"

namespace wavetax {

// Rows of each group, one group after another: row places[start[g]] is the first of group g.
struct RowsByGroup {
  std::vector<std::size_t> start, place;

  RowsByGroup(const Groups& groups, std::size_t n) : start(groups.count + 1, 0), place(n) {
    for (std::size_t i = 0; i < n; ++i) ++start[groups.of(i) + 1];
    std::partial_sum(start.begin(), start.end(), start.begin());
    std::vector<std::size_t> next(start.begin(), start.end() - 1);
    for (std::size_t i = 0; i < n; ++i) place[next[groups.of(i)]++] = i;
  }
};

// Whether every row lies on a cycle through another group that has two of its own group's neighbouring levels: then
// no row is a bridge. Quick where one set has few levels, as periods are.
inline bool all_on_short_cycles(const RowsByGroup& rows, const Groups& of, const Groups& across) {
  constexpr std::size_t most = 1024;
  if (across.count > most) return false;
  std::vector<int> seen(across.count * across.count, 0);  // the group that has a pair: 0 none, -1 several
  auto each_pair = [&](auto use) {
    for (std::size_t g = 0; g < of.count; ++g)
      for (std::size_t at = rows.start[g]; at + 1 < rows.start[g + 1]; ++at) {
        std::size_t a = across.of(rows.place[at]), b = across.of(rows.place[at + 1]);
        if (a == b) continue;  // two rows of one cell are on a cycle of their own
        if (a > b) std::swap(a, b);
        use(g, at, seen[a * across.count + b]);
      }
  };
  each_pair([](std::size_t g, std::size_t, int& who) {
    const int group = static_cast<int>(g) + 1;
    if (who == 0) who = group;
    else if (who != group) who = -1;
  });
  std::vector<char> safe(rows.place.size(), 0);
  each_pair([&](std::size_t, std::size_t at, int who) {
    if (who == -1) safe[at] = safe[at + 1] = 1;
  });
  for (std::size_t g = 0; g < of.count; ++g)
    for (std::size_t at = rows.start[g]; at + 1 < rows.start[g + 1]; ++at)
      if (across.of(rows.place[at]) == across.of(rows.place[at + 1])) safe[at] = safe[at + 1] = 1;
  return std::all_of(safe.begin(), safe.end(), [](char one) { return one != 0; });
}

// The bridges, in order of rows. Vertices are the levels of both sets, edges the rows; an edge is a bridge where no
// other way leads from below it in a depth first search to above it.
inline std::vector<std::size_t> bridges(const Groups& first, const Groups& second, std::size_t n) {
  const bool larger = first.count >= second.count;
  const Groups &of = larger ? first : second, &across = larger ? second : first;
  const RowsByGroup rows(of, n);
  std::vector<std::size_t> out;
  if (all_on_short_cycles(rows, of, across)) return out;
  const RowsByGroup others(across, n);
  const std::size_t vertices = of.count + across.count, none = static_cast<std::size_t>(-1);
  std::vector<std::size_t> found(vertices, 0), low(vertices, 0), next(vertices), by(vertices, none), path;
  const auto begin = [&](std::size_t v) { return v < of.count ? rows.start[v] : others.start[v - of.count]; };
  const auto end = [&](std::size_t v) { return v < of.count ? rows.start[v + 1] : others.start[v - of.count + 1]; };
  const auto edge = [&](std::size_t v, std::size_t at) { return v < of.count ? rows.place[at] : others.place[at]; };
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

}  // namespace wavetax
