// The reduced system: what is left of the normal equations of several sets of effects when the
// levels of the first are eliminated group by group.
//
// Notation: D1 the columns of the first set, D2 those of the others (m of them), W the weights,
// Q1 = I - D1 (D1'W D1 + ridge)^-1 D1'W; the reduced matrix is M = D2'W Q1 D2 + ridge.
#pragma once

#include <algorithm>
#include <cstddef>
#include <memory>
#include <numeric>
#include <utility>
#include <vector>

#include "counted-matrix.hpp"
#include "effect-sets.hpp"
#include "laplacian.hpp"
#include "parallel.hpp"

namespace wavetax {

class ReducedMatrix {
 public:
  std::size_t unknowns = 0;
  std::vector<Numbers> first_gram;  // D1'W D1, by loading of the first set
  Numbers gram;                     // the diagonal of D2'W D2
  Numbers entries;                  // M, by line; or its diagonal where that is all that is wanted
  std::vector<Edge> edges;                      // then, of plain levels, a sample of its links

  // Products of pairs that making the whole matrix takes.
  static double work(const RowOrder& order, std::size_t unknowns) {
    double products = 0.0;
    for (std::size_t g = 0; g + 1 < order.start.size(); ++g) {
      const double most = std::min(static_cast<double>((order.start[g + 1] - order.start[g]) * order.others.size()),
                                   static_cast<double>(unknowns));
      products += most * most;
    }
    return products;
  }

  ReducedMatrix(const RowOrder& order, std::size_t unknowns_, bool whole)
      : unknowns(unknowns_), order_(order), whole_(whole) {
    add_first_gram();
    if (unknowns > 0) add_entries();
    if (unknowns > 0 && !whole_) counted_ = CountedMatrix::make(order_, unknowns, order_.start.back());
  }

  // One set of levels beside the first, none of them shrunken: the matrix is the Laplacian of the
  // graph of the two, whose lines add up to nothing.
  bool is_graph() const { return has_two_levels() && order_.first[0].ridge == 0.0 && order_.others[0].ridge == 0.0; }

  // Levels of the second set: those that the edges link.
  std::size_t vertices() const { return order_.others[0].groups.count; }

  // D1'W D1 + ridge of a group.
  double scale(std::size_t loading, std::size_t group) const {
    return first_gram[loading][group] + order_.first[loading].ridge;
  }

  // M v for P columns at a time: spread to the rows, swept of the first set, and summed.
  template <std::size_t P>
  void times(const Numbers& v, Numbers& out) const {
    std::vector<Numbers> parts(lanes);
    const bool plain = order_.is_plain();
    order_.for_each_lane([&](std::size_t lane) {
      Numbers& sum = parts[lane];
      allocate(sum, unknowns * P);
      Numbers spread;
      for (std::size_t g = order_.lane[lane]; g < order_.lane[lane + 1]; ++g) {
        plain ? add_plain_group<P>(g, v, spread, sum) : add_swept_group<P>(g, v, spread, sum);
      }
    });
    add_lanes(parts, out);
    add_ridges<P>(v, out);
  }

  // The same on the way of an iteration: from counts where these are fewer than the rows.
  template <std::size_t P>
  void step(const Numbers& v, Numbers& out) const {
    if (!counted_) return times<P>(v, out);
    counted_->times<P>(v, gram, out);
    add_ridges<P>(v, out);
  }

 private:
  const RowOrder& order_;
  const bool whole_;
  std::unique_ptr<CountedMatrix> counted_;

  template <std::size_t P>
  void add_ridges(const Numbers& v, Numbers& out) const {
    for (const Term& term : order_.others)
      if (term.ridge > 0.0)
        for (std::size_t u = term.offset; u < term.offset + term.groups.count; ++u)
          for (std::size_t c = 0; c < P; ++c) out[u * P + c] += term.ridge * v[u * P + c];
  }

  void add_first_gram() {
    const std::size_t groups = order_.first[0].groups.count;
    for (const Term& term : order_.first) {
      first_gram.push_back(zeros(groups));
      Numbers& sum = first_gram.back();
      order_.for_each_lane([&](std::size_t lane) {
        for (std::size_t g = order_.lane[lane]; g < order_.lane[lane + 1]; ++g) {
          if (!term.loading && !order_.weights) {
            sum[g] = static_cast<double>(order_.start[g + 1] - order_.start[g]);
            continue;
          }
          for (std::size_t p = order_.start[g]; p < order_.start[g + 1]; ++p)
            sum[g] += order_.weight(p) * term.load(p) * term.load(p);
        }
      });
    }
  }

  void add_entries() {
    const std::size_t m = unknowns;
    const bool sample =
        !whole_ && !order_.first[0].loading && !order_.others[0].loading && order_.others[0].ridge == 0.0;
    std::vector<Numbers> matrix(lanes), own(lanes);
    std::vector<std::vector<Edge>> links(lanes);
    order_.for_each_lane([&](std::size_t lane) {
      allocate(matrix[lane], whole_ ? m * m : m);
      allocate(own[lane], m);
      if (whole_ && has_two_levels() && !order_.weights) return add_links(lane, matrix[lane], own[lane]);
      Touched touched(m, order_.first.size());
      for (std::size_t g = order_.lane[lane]; g < order_.lane[lane + 1]; ++g) {
        add_group(g, touched, matrix[lane], own[lane]);
        if (sample) touched.sample(order_.others[0].groups.count, g, links[lane]);
      }
    });
    add_lanes(matrix, entries);
    add_lanes(own, gram);
    for (std::vector<Edge>& some : links) {
      edges.insert(edges.end(), some.begin(), some.end());
      std::vector<Edge>().swap(some);
    }
    if (!whole_) return;
    for (const Term& term : order_.others)
      for (std::size_t u = term.offset; u < term.offset + term.groups.count; ++u) entries[u * m + u] += term.ridge;
    if (is_graph()) balance_diagonal();
  }

  bool has_two_levels() const {
    return order_.first.size() == 1 && order_.others.size() == 1 && !order_.first[0].loading &&
           !order_.others[0].loading;
  }

  // Of a Laplacian, whose lines add up to nothing: from the links, not from differences.
  void balance_diagonal() {
    for (std::size_t u = 0; u < unknowns; ++u) {
      double* line = &entries[u * unknowns];
      line[u] = 0.0;
      line[u] = -std::accumulate(line, line + unknowns, 0.0);
    }
  }

  // Each group links its levels to each other; groups in a row that have the same levels are
  // taken together.
  void add_links(std::size_t lane, Numbers& matrix, Numbers& own) const {
    const std::size_t m = unknowns;
    const Term& other = order_.others[0];
    std::vector<std::size_t> levels_before, levels_now;
    double alike = 0.0;
    auto add = [&]() {
      if (alike == 0.0) return;
      const double size = static_cast<double>(levels_before.size());
      const double factor = alike / (size + order_.first[0].ridge);
      for (const std::size_t u : levels_before) {
        double* line = &matrix[u * m];
        for (const std::size_t v : levels_before) line[v] -= factor;
        line[u] += alike;
        own[u] += alike;
      }
    };
    for (std::size_t g = order_.lane[lane]; g < order_.lane[lane + 1]; ++g) {
      levels_now.clear();
      for (std::size_t p = order_.start[g]; p < order_.start[g + 1]; ++p) levels_now.push_back(other.unknown(p));
      if (levels_now == levels_before) {
        alike += 1.0;
        continue;
      }
      add();
      levels_before.swap(levels_now);
      alike = levels_before.empty() ? 0.0 : 1.0;
    }
    add();
  }

  // The unknowns that a group touches, each once: B_i = D1_i'W D2 by loading of the first set.
  struct Touched {
    std::vector<int> slot;             // of each unknown, -1 where not touched
    std::vector<std::size_t> unknown;  // touched ones
    Numbers b;             // by touched unknown and loading
    std::size_t loadings;

    Touched(std::size_t m, std::size_t loadings_) : slot(m, -1), loadings(loadings_) {}

    double* of(std::size_t u) {
      if (slot[u] < 0) {
        slot[u] = static_cast<int>(unknown.size());
        unknown.push_back(u);
        b.insert(b.end(), loadings, 0.0);
      }
      return &b[static_cast<std::size_t>(slot[u]) * loadings];
    }
    void clear() {
      for (const std::size_t u : unknown) slot[u] = -1;
      unknown.clear();
      b.clear();
    }
    // The group's links between the levels of the second set, thinned to a tree's worth.
    void sample(std::size_t count, std::size_t seed, std::vector<Edge>& edges) {
      Neighbours near;
      for (std::size_t e = 0; e < unknown.size(); ++e)
        if (unknown[e] < count) near.push_back({static_cast<int>(unknown[e]), b[e * loadings]});
      sample_clique(near, Random(seed), edges);
      clear();
    }
  };

  void add_group(std::size_t g, Touched& touched, Numbers& matrix, Numbers& own) const {
    const std::size_t m = unknowns, loadings = order_.first.size();
    touched.clear();
    for (std::size_t p = order_.start[g]; p < order_.start[g + 1]; ++p) {
      const double w = order_.weight(p);
      for (const Term& term : order_.others) {
        const std::size_t u = term.unknown(p);
        const double load = w * term.load(p);
        double* b = touched.of(u);
        for (std::size_t f = 0; f < loadings; ++f) b[f] += load * order_.first[f].load(p);
        own[u] += load * term.load(p);
        if (!whole_) {
          matrix[u] += load * term.load(p);
          continue;
        }
        for (const Term& other : order_.others) matrix[u * m + other.unknown(p)] += load * other.load(p);
      }
    }
    for (std::size_t f = 0; f < loadings; ++f) {
      const double divisor = scale(f, g);
      if (divisor == 0.0) continue;
      for (std::size_t a = 0; a < touched.unknown.size(); ++a) {
        const double factor = touched.b[a * loadings + f] / divisor;
        if (!whole_) {
          matrix[touched.unknown[a]] -= factor * touched.b[a * loadings + f];
          continue;
        }
        double* line = &matrix[touched.unknown[a] * m];
        for (std::size_t e = 0; e < touched.unknown.size(); ++e)
          line[touched.unknown[e]] -= factor * touched.b[e * loadings + f];
      }
    }
  }

  template <std::size_t P>
  void add_plain_group(std::size_t g, const Numbers& v, Numbers& spread,
                       Numbers& sum) const {
    const std::size_t begin = order_.start[g], size = order_.start[g + 1] - begin;
    spread.assign(size * P, 0.0);
    double mean[P] = {};
    for (std::size_t p = 0; p < size; ++p) {
      double* to = &spread[p * P];
      for (const Term& term : order_.others) {
        const double* from = &v[term.unknown(begin + p) * P];
        for (std::size_t c = 0; c < P; ++c) to[c] += from[c];
      }
      for (std::size_t c = 0; c < P; ++c) mean[c] += to[c];
    }
    for (std::size_t c = 0; c < P; ++c) mean[c] /= static_cast<double>(size) + order_.first[0].ridge;
    for (std::size_t p = 0; p < size; ++p) {
      double* from = &spread[p * P];
      for (std::size_t c = 0; c < P; ++c) from[c] -= mean[c];
      for (const Term& term : order_.others) {
        double* to = &sum[term.unknown(begin + p) * P];
        for (std::size_t c = 0; c < P; ++c) to[c] += from[c];
      }
    }
  }

  template <std::size_t P>
  void add_swept_group(std::size_t g, const Numbers& v, Numbers& spread,
                       Numbers& sum) const {
    const std::size_t begin = order_.start[g], size = order_.start[g + 1] - begin;
    spread.assign(size * P, 0.0);
    for (std::size_t p = 0; p < size; ++p)
      for (const Term& term : order_.others)
        for (std::size_t c = 0; c < P; ++c)
          spread[p * P + c] += v[term.unknown(begin + p) * P + c] * term.load(begin + p);
    for (std::size_t f = 0; f < order_.first.size(); ++f) {
      if (scale(f, g) == 0.0) continue;
      double level[P] = {};
      for (std::size_t p = 0; p < size; ++p) {
        const double load = order_.weight(begin + p) * order_.first[f].load(begin + p);
        for (std::size_t c = 0; c < P; ++c) level[c] += load * spread[p * P + c];
      }
      // The loadings are orthogonal: taking one off leaves the sums of the others.
      for (std::size_t p = 0; p < size; ++p) {
        const double load = order_.first[f].load(begin + p);
        for (std::size_t c = 0; c < P; ++c) spread[p * P + c] -= level[c] / scale(f, g) * load;
      }
    }
    for (std::size_t p = 0; p < size; ++p)
      for (const Term& term : order_.others) {
        const double load = order_.weight(begin + p) * term.load(begin + p);
        for (std::size_t c = 0; c < P; ++c) sum[term.unknown(begin + p) * P + c] += load * spread[p * P + c];
      }
  }
};

}  // namespace wavetax
