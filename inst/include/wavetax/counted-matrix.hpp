// The reduced matrix of plain levels from counts: the rows of a group that share a level of the second
// set are one entry, groups that see the same levels of the further sets share one pattern of them, and
// what two of the others have in common is a table of counts. A product with a vector then takes a few
// numbers a group where the rows take a few each.
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <unordered_map>
#include <vector>

#include "effect-sets.hpp"
#include "parallel.hpp"

namespace wavetax {

class CountedMatrix {
 public:
  // Null where counts would not be much fewer than rows: groups that nearly all differ in what they see
  // of the further sets, or two sets with many cells.
  static std::unique_ptr<CountedMatrix> make(const RowOrder& order, std::size_t unknowns, std::size_t n) {
    if (!order.is_plain() || order.others.empty()) return nullptr;
    for (std::size_t a = 0; a < order.others.size(); ++a)
      for (std::size_t b = a + 1; b < order.others.size(); ++b)
        if (static_cast<double>(order.others[a].groups.count) * static_cast<double>(order.others[b].groups.count) >
            static_cast<double>(n) / 4.0)
          return nullptr;
    std::unique_ptr<CountedMatrix> out(new CountedMatrix(order, unknowns));
    return out->count() ? std::move(out) : nullptr;
  }

  // M v less its ridges, for P columns at a time.
  template <std::size_t P>
  void times(const Numbers& v, const Numbers& gram, Numbers& out) const {
    std::vector<Numbers> parts(lanes);
    order_.for_each_lane([&](std::size_t lane) {
      allocate(parts[lane], unknowns_ * P);
      add_lane<P>(lane, v, parts[lane]);
    });
    add_lanes(parts, out);
    for (std::size_t t = 1; t < order_.others.size(); ++t) {
      const Term& term = order_.others[t];
      for (std::size_t u = term.offset; u < term.offset + term.groups.count; ++u)
        for (std::size_t c = 0; c < P; ++c) out[u * P + c] += gram[u] * v[u * P + c];
    }
    for (const Cross& cross : crosses_) add_cross<P>(cross, v, out);
  }

 private:
  struct Entry {
    int unknown, rows;
  };
  // Of the groups of a lane: their entries in the second set, and which pattern of the others they have.
  struct Lane {
    std::vector<Entry> entries, pattern_entries;
    std::vector<std::size_t> start, pattern_start;
    std::vector<int> pattern;
    bool pays = true;
  };
  struct Cross {
    const Term *a, *b;
    Numbers counts;  // levels of a x levels of b
  };

  const RowOrder& order_;
  const std::size_t unknowns_;
  std::vector<Lane> lane_;
  std::vector<Cross> crosses_;

  CountedMatrix(const RowOrder& order, std::size_t unknowns) : order_(order), unknowns_(unknowns), lane_(lanes) {}

  bool count() {
    order_.for_each_lane([&](std::size_t lane) { count_lane(lane, lane_[lane]); });
    if (!std::all_of(lane_.begin(), lane_.end(), [](const Lane& lane) { return lane.pays; })) return false;
    const std::vector<Term>& others = order_.others;
    for (std::size_t a = 0; a < others.size(); ++a)
      for (std::size_t b = a + 1; b < others.size(); ++b) crosses_.push_back(cross(others[a], others[b]));
    return true;
  }

  // Sorts the unknowns, and appends each once with how often it is there.
  static void append_counts(std::vector<int>& unknowns, std::vector<Entry>& entries) {
    std::sort(unknowns.begin(), unknowns.end());
    for (std::size_t i = 0; i < unknowns.size();) {
      std::size_t end = i + 1;
      while (end < unknowns.size() && unknowns[end] == unknowns[i]) ++end;
      entries.push_back({unknowns[i], static_cast<int>(end - i)});
      i = end;
    }
  }

  struct Hash {
    std::size_t operator()(const std::vector<int>& key) const {
      std::uint64_t h = 0xCBF29CE484222325ULL;
      for (const int k : key) h = (h ^ static_cast<std::uint64_t>(k)) * 0x100000001B3ULL;
      return static_cast<std::size_t>(h ^ (h >> 29));
    }
  };

  void count_lane(std::size_t lane, Lane& out) const {
    const std::size_t groups = order_.lane[lane + 1] - order_.lane[lane], most = groups / 4 + 64;
    std::unordered_map<std::vector<int>, int, Hash> known;
    std::vector<int> second, further, before;
    out.start.assign(1, 0);
    out.pattern_start.assign(1, 0);
    for (std::size_t g = order_.lane[lane]; g < order_.lane[lane + 1]; ++g) {
      second.clear();
      further.clear();
      for (std::size_t p = order_.start[g]; p < order_.start[g + 1]; ++p) {
        second.push_back(static_cast<int>(order_.others[0].unknown(p)));
        for (std::size_t t = 1; t < order_.others.size(); ++t)
          further.push_back(static_cast<int>(order_.others[t].unknown(p)));
      }
      append_counts(second, out.entries);
      out.start.push_back(out.entries.size());
      std::sort(further.begin(), further.end());
      if (!out.pattern.empty() && further == before) {
        out.pattern.push_back(out.pattern.back());
        continue;
      }
      const auto found = known.try_emplace(further, static_cast<int>(known.size()));
      out.pattern.push_back(found.first->second);
      before = further;
      if (!found.second) continue;
      append_counts(further, out.pattern_entries);
      out.pattern_start.push_back(out.pattern_entries.size());
      if (known.size() > most) {
        out.pays = false;
        return;
      }
    }
  }

  Cross cross(const Term& a, const Term& b) const {
    Cross out{&a, &b, zeros(a.groups.count * b.groups.count)};
    for (std::size_t p = 0; p < order_.start.back(); ++p)
      out.counts[a.groups.of(p) * b.groups.count + b.groups.of(p)] += 1.0;
    return out;
  }

  template <std::size_t P>
  static std::size_t place(const Entry& entry) {
    return static_cast<std::size_t>(entry.unknown) * P;
  }

  // What the rows of each level of the second set have left of the second set's own levels when their
  // groups' means are off; and less those means at the levels of the further sets.
  template <std::size_t P>
  void add_lane(std::size_t lane, const Numbers& v, Numbers& sum) const {
    const Lane& own = lane_[lane];
    const std::size_t first = order_.lane[lane], groups = own.pattern.size(), patterns = own.pattern_start.size() - 1;
    Numbers of_pattern(patterns * P, 0.0), means(patterns * P, 0.0);
    for (std::size_t k = 0; k < patterns; ++k)
      for (std::size_t e = own.pattern_start[k]; e < own.pattern_start[k + 1]; ++e)
        for (std::size_t c = 0; c < P; ++c)
          of_pattern[k * P + c] += own.pattern_entries[e].rows * v[place<P>(own.pattern_entries[e]) + c];
    for (std::size_t g = 0; g < groups; ++g) {
      const std::size_t begin = own.start[g], end = own.start[g + 1];
      if (begin == end) continue;
      for (std::size_t e = begin + fetch_ahead; e < std::min(end + fetch_ahead, own.entries.size()); ++e) {
        const std::size_t next = place<P>(own.entries[e]);
        __builtin_prefetch(&v[next]);
        __builtin_prefetch(&sum[next], 1);
      }
      const double rows = static_cast<double>(order_.start[first + g + 1] - order_.start[first + g]);
      const std::size_t k = static_cast<std::size_t>(own.pattern[g]);
      double mean[P];
      for (std::size_t c = 0; c < P; ++c) mean[c] = of_pattern[k * P + c];
      for (std::size_t e = begin; e < end; ++e)
        for (std::size_t c = 0; c < P; ++c)
          mean[c] += own.entries[e].rows * v[place<P>(own.entries[e]) + c];
      for (std::size_t c = 0; c < P; ++c) {
        mean[c] /= rows + order_.first[0].ridge;
        means[k * P + c] += mean[c];
      }
      for (std::size_t e = begin; e < end; ++e) {
        const std::size_t at = place<P>(own.entries[e]);
        for (std::size_t c = 0; c < P; ++c) sum[at + c] += own.entries[e].rows * (v[at + c] - mean[c]);
      }
    }
    for (std::size_t k = 0; k < patterns; ++k)
      for (std::size_t e = own.pattern_start[k]; e < own.pattern_start[k + 1]; ++e)
        for (std::size_t c = 0; c < P; ++c)
          sum[place<P>(own.pattern_entries[e]) + c] -= own.pattern_entries[e].rows * means[k * P + c];
  }

  template <std::size_t P>
  static void add_cross(const Cross& cross, const Numbers& v, Numbers& out) {
    const std::size_t columns = cross.b->groups.count;
    for (std::size_t i = 0; i < cross.a->groups.count; ++i)
      for (std::size_t j = 0; j < columns; ++j) {
        const double count = cross.counts[i * columns + j];
        const std::size_t a = (cross.a->offset + i) * P, b = (cross.b->offset + j) * P;
        for (std::size_t c = 0; c < P; ++c) {
          out[a + c] += count * v[b + c];
          out[b + c] += count * v[a + c];
        }
      }
  }
};

}  // namespace wavetax
