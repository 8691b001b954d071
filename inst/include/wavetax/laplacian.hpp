// An approximate factor of a graph's Laplacian, to precondition conjugate gradients: vertices
// are eliminated one by one, and the clique that an elimination leaves is replaced by a random
// tree's worth of its edges with the same expectation (Kyng & Sachdeva 2016; Gao, Kyng &
// Spielman 2023).
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <functional>
#include <queue>
#include <utility>
#include <vector>

namespace wavetax {

struct Edge {
  int a = 0, b = 0;
  double weight = 0.0;
};

using Neighbours = std::vector<std::pair<int, double>>;

// Numbers in [0, 1) from a seed of our own: the same on every machine.
class Random {
 public:
  explicit Random(std::uint64_t seed) : state_(seed * 0x9E3779B97F4A7C15ULL + 0x2545F4914F6CDD1DULL) {}
  double next() {
    state_ += 0x9E3779B97F4A7C15ULL;
    std::uint64_t z = state_;
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ULL;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBULL;
    return static_cast<double>((z ^ (z >> 31)) >> 11) * 0x1.0p-53;
  }

 private:
  std::uint64_t state_;
};

// Eliminating a vertex with these neighbours links each pair (i, j) by w_i w_j / sum(w). Each
// neighbour but the heaviest gets one edge, to a heavier one drawn by weight.
inline void sample_clique(Neighbours& near, Random random, std::vector<Edge>& edges) {
  std::sort(near.begin(), near.end(), [](const auto& x, const auto& y) {
    return x.second != y.second ? x.second < y.second : x.first < y.first;
  });
  const std::size_t d = near.size();
  if (d < 2) return;
  Numbers above(d + 1, 0.0);  // sum of the weights from i on
  for (std::size_t i = d; i-- > 0;) above[i] = above[i + 1] + near[i].second;
  for (std::size_t i = 0; i + 1 < d; ++i) {
    double draw = random.next() * above[i + 1];
    std::size_t j = i + 1;
    while (j + 1 < d && draw >= near[j].second) draw -= near[j++].second;
    edges.push_back({near[i].first, near[j].first, near[i].second * above[i + 1] / above[0]});
  }
}

class LaplacianFactor {
 public:
  LaplacianFactor() = default;

  LaplacianFactor(const std::vector<Edge>& edges, std::size_t vertices) : start_{0} {
    std::vector<Neighbours> near(vertices);
    for (const Edge& edge : edges) link(near, edge);
    // Fewest neighbours first; entries that are out of date are skipped.
    using Entry = std::pair<std::size_t, int>;
    std::priority_queue<Entry, std::vector<Entry>, std::greater<Entry>> queue;
    for (std::size_t v = 0; v < vertices; ++v) queue.push({near[v].size(), static_cast<int>(v)});
    std::vector<char> gone(vertices, 0);
    std::vector<Edge> fill;
    while (!queue.empty()) {
      const auto [degree, v] = queue.top();
      queue.pop();
      if (gone[v]) continue;
      if (near[v].size() != degree) {
        queue.push({near[v].size(), v});
        continue;
      }
      gone[v] = 1;
      Neighbours mine = merged(near[v], gone);
      Neighbours().swap(near[v]);
      double sum = 0.0;
      for (const auto& other : mine) sum += other.second;
      for (const auto& other : mine) entries_.push_back({other.first, other.second / sum});
      start_.push_back(entries_.size());
      order_.push_back(v);
      pivot_.push_back(sum);
      fill.clear();
      sample_clique(mine, Random(static_cast<std::uint64_t>(v)), fill);
      for (const Edge& edge : fill) link(near, edge);
    }
  }

  // P columns at a time, in place, on the first vertices() rows.
  template <std::size_t P>
  void solve(double* x) const {
    for (std::size_t s = 0; s < order_.size(); ++s) {
      const double* from = x + static_cast<std::size_t>(order_[s]) * P;
      for (std::size_t e = start_[s]; e < start_[s + 1]; ++e) {
        double* to = x + static_cast<std::size_t>(entries_[e].first) * P;
        for (std::size_t c = 0; c < P; ++c) to[c] += entries_[e].second * from[c];
      }
    }
    for (std::size_t s = order_.size(); s-- > 0;) {
      double* to = x + static_cast<std::size_t>(order_[s]) * P;
      for (std::size_t c = 0; c < P; ++c) to[c] = pivot_[s] > 0.0 ? to[c] / pivot_[s] : 0.0;
      for (std::size_t e = start_[s]; e < start_[s + 1]; ++e) {
        const double* from = x + static_cast<std::size_t>(entries_[e].first) * P;
        for (std::size_t c = 0; c < P; ++c) to[c] += entries_[e].second * from[c];
      }
    }
  }

  std::size_t vertices() const { return order_.size(); }

 private:
  static void link(std::vector<Neighbours>& near, const Edge& edge) {
    if (edge.a == edge.b || !(edge.weight > 0.0)) return;
    near[static_cast<std::size_t>(edge.a)].push_back({edge.b, edge.weight});
    near[static_cast<std::size_t>(edge.b)].push_back({edge.a, edge.weight});
  }

  // Neighbours still there, each once.
  static Neighbours merged(Neighbours& near, const std::vector<char>& gone) {
    std::sort(near.begin(), near.end());
    Neighbours out;
    for (const auto& other : near) {
      if (gone[static_cast<std::size_t>(other.first)]) continue;
      if (!out.empty() && out.back().first == other.first) {
        out.back().second += other.second;
      } else {
        out.push_back(other);
      }
    }
    return out;
  }

  std::vector<int> order_;
  Numbers pivot_;
  std::vector<std::size_t> start_;
  Neighbours entries_;
};

// For the reduced system: the Laplacian of the second set's levels, linked by the first's,
// and the diagonal for the rest.
class Preconditioner {
 public:
  Preconditioner(const std::vector<Edge>& edges, std::size_t count, const Numbers& diagonal,
                 const Numbers& gram)
      : inverse_(diagonal.size(), 0.0) {
    for (std::size_t u = 0; u < diagonal.size(); ++u)
      if (diagonal[u] > 1e-10 * gram[u]) inverse_[u] = 1.0 / diagonal[u];
    if (!edges.empty()) factor_ = LaplacianFactor(edges, count);
  }

  template <std::size_t P>
  void apply(const Numbers& r, Numbers& z) const {
    const std::size_t by_factor = factor_.vertices();
    z = r;
    if (by_factor > 0) factor_.solve<P>(z.data());
    for (std::size_t u = by_factor; u < inverse_.size(); ++u)
      for (std::size_t c = 0; c < P; ++c) z[u * P + c] *= inverse_[u];
  }

 private:
  Numbers inverse_;
  LaplacianFactor factor_;
};

}  // namespace wavetax
