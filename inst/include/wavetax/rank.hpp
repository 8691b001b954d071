// How many dimensions several sets of effects span: the rank of their dummies.
#pragma once

#include <cstddef>
#include <cstdint>
#include <numeric>
#include <unordered_map>
#include <utility>
#include <vector>

#include "groups.hpp"

namespace wavetax {

// Connected components of the graph whose vertices are the levels of two sets and whose
// edges are the rows. `of_first` and `of_second` get the component of each level, from 1.
inline int components(const int* first, const int* second, std::size_t n, std::size_t count_first,
                      std::size_t count_second, int* of_first, int* of_second) {
  check_countable(count_first + count_second);
  std::vector<int> parent(count_first + count_second);
  std::iota(parent.begin(), parent.end(), 0);
  auto root = [&](int v) {
    while (parent[v] != v) v = parent[v] = parent[parent[v]];
    return v;
  };
  std::size_t joined = 0;
  for (std::size_t r = 0; r < n && joined + 1 < parent.size(); ++r) {
    const int a = root(first[r] - 1), b = root(static_cast<int>(count_first) + second[r] - 1);
    if (a == b) continue;
    parent[a < b ? b : a] = a < b ? a : b;
    ++joined;
  }
  int found = 0;
  std::vector<int> name(parent.size(), 0);
  for (std::size_t v = 0; v < parent.size(); ++v) {
    int& component = name[root(static_cast<int>(v))];
    if (component == 0) component = ++found;
    (v < count_first ? of_first[v] : of_second[v - count_first]) = component;
  }
  return found;
}

// Vectors of numbers modulo a prime, and those of them that are independent: ranks of
// whole-number matrices, exact unless the prime divides a determinant.
class PrimeRank {
 public:
  static constexpr std::uint64_t prime = 2147483647;  // 2^31 - 1
  explicit PrimeRank(std::size_t size) : pivot_of_(size, npos) {}

  std::size_t rank() const { return basis_.size(); }
  double work() const { return work_; }

  void add(std::vector<std::uint32_t> v) {
    for (std::size_t j = 0; j < v.size(); ++j) {
      if (v[j] == 0) continue;
      if (pivot_of_[j] == npos) {
        const std::uint64_t scale = inverse(v[j]);
        for (std::size_t k = j; k < v.size(); ++k) v[k] = static_cast<std::uint32_t>(v[k] * scale % prime);
        pivot_of_[j] = basis_.size();
        basis_.push_back(std::move(v));
        return;
      }
      const std::vector<std::uint32_t>& b = basis_[pivot_of_[j]];
      const std::uint64_t factor = prime - v[j];
      for (std::size_t k = j; k < v.size(); ++k)
        v[k] = static_cast<std::uint32_t>((v[k] + factor * b[k]) % prime);
      work_ += static_cast<double>(v.size() - j);
    }
  }

 private:
  static constexpr std::size_t npos = static_cast<std::size_t>(-1);
  static std::uint64_t inverse(std::uint64_t x) {
    std::uint64_t out = 1;
    for (std::uint64_t e = prime - 2; e > 0; e >>= 1, x = x * x % prime)
      if (e & 1) out = out * x % prime;
    return out;
  }
  std::vector<std::size_t> pivot_of_;
  std::vector<std::vector<std::uint32_t>> basis_;
  double work_ = 0.0;
};

// What the sets from the second on add to the rank of the first, whose groups' means are swept
// out: the rank of the differences between the combinations of the others' levels that rows of
// one group have. Differences add up, so that those along a spanning forest of the combinations
// are all that is needed. -1 where finding out takes more than `budget` operations.
inline long long reduced_rank(const std::vector<const int*>& codes, const std::vector<std::size_t>& counts,
                              std::size_t n, double budget) {
  std::size_t size = 0;
  std::vector<std::size_t> offset;
  for (std::size_t s = 1; s < codes.size(); ++s) {
    offset.push_back(size);
    size += counts[s];
  }
  std::unordered_map<std::uint64_t, int> known;
  std::vector<int> pair(codes[1], codes[1] + n);  // ranked combinations of the sets so far
  for (std::size_t s = 2; s < codes.size(); ++s) {
    known.clear();
    for (std::size_t r = 0; r < n; ++r) {
      const std::uint64_t key = static_cast<std::uint64_t>(pair[r]) * (counts[s] + 1) +
                                static_cast<std::uint64_t>(codes[s][r]);
      pair[r] = known.emplace(key, static_cast<int>(known.size()) + 1).first->second;
    }
  }
  std::vector<std::size_t> parent;
  auto root = [&](std::size_t v) {
    while (parent[v] != v) v = parent[v] = parent[parent[v]];
    return v;
  };
  std::vector<int> first_of(counts[0], -1);
  PrimeRank differences(size);
  auto add = [&](std::vector<std::uint32_t>& v, std::size_t row, std::uint64_t sign) {
    for (std::size_t s = 1; s < codes.size(); ++s) {
      std::uint32_t& at = v[offset[s - 1] + static_cast<std::size_t>(codes[s][row]) - 1];
      at = static_cast<std::uint32_t>((at + sign) % PrimeRank::prime);
    }
  };
  std::size_t most = size;
  for (std::size_t s = 1; s < codes.size(); ++s) --most;
  for (std::size_t r = 0; r < n && differences.rank() < most; ++r) {
    const std::size_t mine = static_cast<std::size_t>(pair[r]);
    while (parent.size() <= mine) parent.push_back(parent.size());
    int& first = first_of[static_cast<std::size_t>(codes[0][r]) - 1];
    if (first < 0) {
      first = static_cast<int>(r);
      continue;
    }
    const std::size_t a = root(mine), b = root(static_cast<std::size_t>(pair[first]));
    if (a == b) continue;
    parent[a] = b;
    std::vector<std::uint32_t> v(size, 0);
    add(v, r, 1);
    add(v, static_cast<std::size_t>(first), PrimeRank::prime - 1);
    differences.add(std::move(v));
    if (differences.work() > budget) return -1;
  }
  return static_cast<long long>(differences.rank());
}

// What the sets from the third on add to the rank of the first two; -1 where finding out
// takes more than `budget` operations. A function of their levels adds nothing when it is the
// sum of a function of the first set's level and one of the second's. Along a spanning forest
// of the graph of the first two that sum is known up to a constant, so that each further row
// gives one equation on the function; the equations' rank is what is added. Each vertex keeps
// its distance to its root, a vector over the further levels (a union-find with potentials).
inline long long further_rank(const std::vector<const int*>& codes, const std::vector<std::size_t>& counts,
                              std::size_t n, double budget) {
  const std::size_t vertices = counts[0] + counts[1];
  std::size_t size = 0, most = 0;
  std::vector<std::size_t> offset;
  for (std::size_t s = 2; s < codes.size(); ++s) {
    offset.push_back(size);
    size += counts[s];
    most += counts[s] - 1;
  }
  if (static_cast<double>(vertices) * static_cast<double>(size) > 1e8) return -1;
  using Vector = std::vector<std::uint32_t>;
  constexpr std::uint64_t prime = PrimeRank::prime;
  std::vector<std::uint32_t> potential(vertices * size, 0);  // of a vertex less that of its parent
  std::vector<std::size_t> parent(vertices), weight(vertices, 1);
  std::iota(parent.begin(), parent.end(), std::size_t{0});
  double work = 0.0;
  std::vector<std::size_t> path;
  // The root of a vertex; afterwards its potential is to the root.
  auto root = [&](std::size_t v) {
    path.clear();
    while (parent[v] != v) {
      path.push_back(v);
      v = parent[v];
    }
    for (std::size_t i = path.size(); i-- > 0;) {
      const std::size_t child = path[i], above = parent[child];
      if (above == v) continue;
      for (std::size_t k = 0; k < size; ++k)
        potential[child * size + k] = static_cast<std::uint32_t>(
            (std::uint64_t{potential[child * size + k]} + potential[above * size + k]) % prime);
      parent[child] = v;
      work += static_cast<double>(size);
    }
    return v;
  };
  PrimeRank equations(size);
  for (std::size_t r = 0; r < n && equations.rank() < most; ++r) {
    const std::size_t a = static_cast<std::size_t>(codes[0][r]) - 1;
    const std::size_t b = counts[0] + static_cast<std::size_t>(codes[1][r]) - 1;
    const std::size_t root_a = root(a), root_b = root(b);
    // value(a) - value(b) = the row's further levels
    Vector row(size, 0);
    for (std::size_t k = 0; k < size; ++k)
      row[k] = static_cast<std::uint32_t>(
          (std::uint64_t{potential[b * size + k]} + prime - potential[a * size + k]) % prime);
    for (std::size_t s = 2; s < codes.size(); ++s) {
      std::uint32_t& at = row[offset[s - 2] + static_cast<std::size_t>(codes[s][r]) - 1];
      at = static_cast<std::uint32_t>((std::uint64_t{at} + 1) % prime);
    }
    if (root_a == root_b) {
      equations.add(std::move(row));
    } else {
      // value(root_a) - value(root_b) = row
      const bool under_b = weight[root_a] <= weight[root_b];
      const std::size_t child = under_b ? root_a : root_b, top = under_b ? root_b : root_a;
      for (std::size_t k = 0; k < size; ++k)
        potential[child * size + k] =
            under_b ? row[k] : static_cast<std::uint32_t>((prime - row[k]) % prime);
      parent[child] = top;
      weight[top] += weight[child];
    }
    work += 2.0 * static_cast<double>(size);
    if (work + equations.work() > budget) return -1;
  }
  return static_cast<long long>(equations.rank());
}

}  // namespace wavetax
