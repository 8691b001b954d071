// Disturbances of an entity that follow AR(1) on the clock: corr(e_t, e_s) = rho^d, d ticks apart.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <unordered_map>
#include <utility>
#include <vector>

#include "parallel.hpp"

namespace wavetax {

// 1 - rho^2d without loss where rho is near 1.
inline double one_less_power(double rho, int ticks) {
  return rho == 0 ? 1 : -std::expm1(2.0 * ticks * std::log(std::fabs(rho)));
}

// An exact root of the inverse correlation, row by row: keep z_t + take z_before, with
// keep^2 = (1 - rho^2) / (1 - rho^2d); an entity's first row (0 ticks) times sqrt(1 - rho^2).
struct Ar1Step {
  double keep = 1, take = 0;

  Ar1Step() = default;
  Ar1Step(double rho, int ticks) {
    const double innovation = one_less_power(rho, 1);
    keep = std::sqrt(ticks == 0 ? innovation : innovation / one_less_power(rho, ticks));
    if (ticks > 0) take = -keep * std::pow(rho, ticks);
  }
};

// Rows under such a root, made as they are read, of columns as the caller has them. Row r is made of rows now[r] and
// before[r] of the columns (from 1; 0: none); null `now`: row r; null `before`: the row above where it is of the entity.
class Ar1Root {
 public:
  static constexpr std::size_t short_steps = 32;
  std::size_t n = 0, stored = 0;  // rows made, and rows of the columns
  const int *entity = nullptr, *clock = nullptr;
  const double* s = nullptr;  // by row of the columns, times their values; null: 1
  const int *now = nullptr, *before = nullptr;

  // One rho, or one by entity.
  void set_rho(const double* rho, bool own) {
    rho_ = rho;
    own_ = own;
    if (own) return;
    for (std::size_t d = 0; d < steps_.size(); ++d) steps_[d] = Ar1Step(*rho, static_cast<int>(d));
  }

  // Rows [begin, begin + count) of s (z - centre), z null a column of ones.
  void read(const double* z, double centre, std::size_t begin, std::size_t count, double* out) const {
    if (!now && !before && !own_ && !s) return read_plain(z, centre, begin, count, out);
    const auto value = [&](std::size_t i) { return ((z ? z[i] : 1.0) - centre) * (s ? s[i] : 1.0); };
    visit(begin, count, [&](std::size_t r, std::size_t row, std::size_t last, const Ar1Step& step) {
      out[r] = step.keep * value(row) + (step.take == 0 ? 0.0 : step.take * value(last));
    });
  }

  // The sum of log keep.
  double log_keep(int threads) const {
    double sum = 0;
    if (!now && !before && !own_) {
      // How many rows come so many ticks after the one before, and the sum of those that come later than the table has.
      constexpr std::size_t together = 262144;
      std::vector<std::array<double, short_steps + 1>> parts((n + together - 1) / together);
      for_each_piece(parts.size(), threads, [&](std::size_t piece) {
        std::array<double, short_steps + 1> seen{};
        for (std::size_t r = piece * together; r < std::min(n, (piece + 1) * together); ++r) {
          const int ticks = r > 0 && entity[r] == entity[r - 1] ? clock[r] - clock[r - 1] : 0;
          const bool near = static_cast<std::size_t>(ticks) < short_steps;
          if (near) seen[static_cast<std::size_t>(ticks)] += 1;
          else seen[short_steps] += std::log(Ar1Step(*rho_, ticks).keep);
        }
        parts[piece] = seen;
      });
      for (const auto& seen : parts) {
        for (std::size_t d = 0; d < short_steps; ++d) sum += seen[d] * std::log(steps_[d].keep);
        sum += seen[short_steps];
      }
      return sum;
    }
    visit(0, n, [&](std::size_t, std::size_t, std::size_t, const Ar1Step& step) { sum += std::log(step.keep); });
    return sum;
  }

 private:
  // The same of rows that stand by entity and clock, under one rho and without weights: a table of steps and no branch
  // but for long gaps.
  void read_plain(const double* z, double centre, std::size_t begin, std::size_t count, double* out) const {
    const int* const of = entity + begin;
    const int* const at = clock + begin;
    for (std::size_t r = 0; r < count; ++r) {
      const bool follows = begin + r > 0 && of[r] == *(of + r - 1);
      const int ticks = follows ? at[r] - *(at + r - 1) : 0;
      const bool near = static_cast<std::size_t>(ticks) < steps_.size();
      const Ar1Step step = near ? steps_[static_cast<std::size_t>(ticks)] : Ar1Step(*rho_, ticks);
      const double own = z ? z[begin + r] : 1.0, last = follows ? (z ? z[begin + r - 1] : 1.0) : centre;
      out[r] = step.keep * (own - centre) + step.take * (last - centre);
    }
  }

  template <class Visitor>
  void visit(std::size_t begin, std::size_t count, Visitor&& f) const {
    Ar1Step own;
    int of_entity = 0, of_ticks = -1;
    for (std::size_t r = 0; r < count; ++r) {
      const std::size_t at = begin + r;
      const std::size_t row = now ? static_cast<std::size_t>(now[at] - 1) : at;
      std::size_t last = row;
      int ticks = 0;
      if (before ? before[at] > 0 : row > 0 && entity[row - 1] == entity[row]) {
        last = before ? static_cast<std::size_t>(before[at] - 1) : row - 1;
        ticks = clock[row] - clock[last];
      }
      if (!own_ && static_cast<std::size_t>(ticks) < steps_.size()) {
        f(r, row, last, steps_[static_cast<std::size_t>(ticks)]);
        continue;
      }
      if (entity[row] != of_entity || ticks != of_ticks) {
        of_entity = entity[row];
        of_ticks = ticks;
        own = Ar1Step(own_ ? rho_[of_entity - 1] : *rho_, ticks);
      }
      f(r, row, last, own);
    }
  }

  const double* rho_ = nullptr;
  bool own_ = false;
  std::array<Ar1Step, short_steps> steps_;  // by ticks, under one rho
};

// Where the rows of each entity begin, in order of time, and the end.
inline std::vector<std::size_t> entity_starts(const int* entity, const int* order, std::size_t n) {
  std::vector<std::size_t> start;
  int last = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const int of = entity[order ? static_cast<std::size_t>(order[i] - 1) : i];
    if (i == 0 || of != last) start.push_back(i);
    last = of;
  }
  start.push_back(n);
  return start;
}

// Of the rows of one entity in order of time those `lag` ticks apart: f(later, earlier), by their place.
template <class Visitor>
void visit_lagged(const int* ticks, std::size_t count, int lag, Visitor f) {
  for (std::size_t i = 1, j = 0; i < count; ++i) {
    while (ticks[i] - ticks[j] > lag) ++j;
    if (ticks[i] - ticks[j] == lag) f(i, j);
  }
}

// What residuals e show of rho: by entity the sums of e e_{-1} over rows one tick apart and of e^2; over all the sum of
// e_{-1}^2 over those pairs, and their count.
struct Ar1Moments {
  std::vector<double> products, squares;
  double before = 0, pairs = 0;
};

// Those of one entity, its rows in order of time, are added.
inline void add_moments(const double* e, const int* ticks, std::size_t count, int lag, double& product, double& square,
                        double& before, double& pairs) {
  for (std::size_t i = 0; i < count; ++i) square += e[i] * e[i];
  visit_lagged(ticks, count, lag, [&](std::size_t i, std::size_t j) {
    product += e[i] * e[j];
    before += e[j] * e[j];
    pairs += 1;
  });
}

inline Ar1Moments ar1_moments(const double* e, const int* entity, const int* clock, const int* order, std::size_t n,
                              std::size_t entities, int lag, int threads) {
  Ar1Moments out;
  out.products.assign(entities, 0.0);
  out.squares.assign(entities, 0.0);
  const std::vector<std::size_t> start = entity_starts(entity, order, n);
  const std::size_t groups = start.size() - 1, together = 4096;
  std::vector<std::array<double, 2>> parts((groups + together - 1) / together);
  for_each_piece(parts.size(), threads, [&](std::size_t piece) {
    std::vector<double> left;
    std::vector<int> ticks;
    double before = 0, pairs = 0;
    for (std::size_t g = piece * together; g < std::min(groups, (piece + 1) * together); ++g) {
      const std::size_t size = start[g + 1] - start[g];
      const double* own = e + start[g];
      const int* at = clock + start[g];
      std::size_t row = start[g];
      if (order) {
        left.resize(size);
        ticks.resize(size);
        for (std::size_t i = 0; i < size; ++i) {
          row = static_cast<std::size_t>(order[start[g] + i] - 1);
          left[i] = e[row];
          ticks[i] = clock[row];
        }
        own = left.data();
        at = ticks.data();
      }
      const std::size_t of = static_cast<std::size_t>(entity[row] - 1);
      add_moments(own, at, size, lag, out.products[of], out.squares[of], before, pairs);
    }
    parts[piece] = {before, pairs};
  });
  for (const std::array<double, 2>& part : parts) {
    out.before += part[0];
    out.pairs += part[1];
  }
  return out;
}

// One entity of each pattern of periods, counted from its first: the rows of these in order of time, and how many
// entities have each pattern. Patterns are told apart by 128 bits.
struct PeriodPatterns {
  std::vector<int> rows, entity;  // from 1; entity: which pattern
  std::vector<double> times;
};

inline PeriodPatterns period_patterns(const int* entity, const int* clock, const int* order, std::size_t n) {
  PeriodPatterns out;
  std::unordered_map<std::uint64_t, std::vector<std::pair<std::uint64_t, std::size_t>>> known;
  const std::vector<std::size_t> start = entity_starts(entity, order, n);
  const auto row_at = [order](std::size_t i) { return order ? static_cast<std::size_t>(order[i] - 1) : i; };
  std::size_t last = 0;  // the pattern of the entity before
  for (std::size_t g = 0; g + 1 < start.size(); ++g) {
    const std::size_t size = start[g + 1] - start[g];
    const int first = clock[row_at(start[g])];
    // Most entities stand as the one before.
    if (!order && g > 0 && size == start[g] - start[g - 1]) {
      const int *own = clock + start[g], *other = clock + start[g - 1];
      int apart = 0;
      for (std::size_t i = 0; i < size; ++i) apart |= (own[i] - first) ^ (other[i] - *other);
      if (apart == 0) {
        out.times[last] += 1;
        continue;
      }
    }
    std::uint64_t a = 1469598103934665603ull, b = 88172645463325252ull;
    for (std::size_t i = start[g]; i < start[g + 1]; ++i) {
      const std::uint64_t tick = static_cast<std::uint64_t>(clock[row_at(i)] - first) + 1;
      a = (a ^ tick) * 1099511628211ull;
      b = (b + tick) * 6364136223846793005ull + 1442695040888963407ull;
    }
    auto& same = known[a];
    const auto found = std::find_if(same.begin(), same.end(), [b](const auto& one) { return one.first == b; });
    if (found != same.end()) {
      last = found->second;
      out.times[last] += 1;
      continue;
    }
    last = out.times.size();
    same.emplace_back(b, out.times.size());
    out.times.push_back(1);
    for (std::size_t i = start[g]; i < start[g + 1]; ++i) {
      out.rows.push_back(static_cast<int>(row_at(i)) + 1);
      out.entity.push_back(static_cast<int>(out.times.size()));
    }
  }
  return out;
}

// tr(MBMR) and tr(MR) less what they are without M, of rows that are swept of s in each entity: B one half at rows `lag`
// ticks apart, R their correlation. `times` by entity; null: 1. Rows in order of time.
struct Ar1Traces {
  double top = 0, bottom = 0;
};

inline Ar1Traces ar1_traces(const double* s, const int* entity, const int* clock, const int* order, std::size_t n,
                            double rho, int lag, const double* times, int threads) {
  const std::vector<std::size_t> start = entity_starts(entity, order, n);
  const std::size_t groups = start.size() - 1, together = 1024;
  std::vector<Ar1Traces> parts((groups + together - 1) / together);
  for_each_piece(parts.size(), threads, [&](std::size_t piece) {
    std::vector<double> w, fade, moved;
    std::vector<int> ticks;
    for (std::size_t g = piece * together; g < std::min(groups, (piece + 1) * together); ++g) {
      const std::size_t size = start[g + 1] - start[g];
      w.assign(size, 1.0);
      fade.assign(size, 0.0);
      moved.assign(size, 0.0);
      ticks.resize(size);
      for (std::size_t i = 0; i < size; ++i) {
        const std::size_t at = start[g] + i, row = order ? static_cast<std::size_t>(order[at] - 1) : at;
        if (s) w[i] = s[row];
        ticks[i] = clock[row];
        if (i > 0) fade[i] = ticks[i] - ticks[i - 1] == 1 ? rho : std::pow(rho, ticks[i] - ticks[i - 1]);
      }
      double carried = 0, weight = 0, own = 0, across = 0, inside = 0;
      for (std::size_t i = 0; i < size; ++i) moved[i] = carried = w[i] + fade[i] * carried;
      carried = 0;
      for (std::size_t i = size; i-- > 0;) {
        moved[i] += carried;
        carried = fade[i] * (w[i] + carried);
        weight += w[i] * w[i];
        own += w[i] * moved[i];
      }
      visit_lagged(ticks.data(), size, lag, [&](std::size_t i, std::size_t j) {
        across += (w[i] * moved[j] + w[j] * moved[i]) / 2;
        inside += w[i] * w[j];
      });
      if (!(weight > 0)) continue;
      const double many = times ? times[static_cast<std::size_t>(entity[order ? order[start[g]] - 1 : start[g]]) - 1] : 1.0;
      parts[piece].top += many * (inside / weight * own - 2 * across) / weight;
      parts[piece].bottom += many * own / weight;
    }
  });
  Ar1Traces out;
  for (const Ar1Traces& part : parts) {
    out.top += part.top;
    out.bottom += part.bottom;
  }
  return out;
}

}  // namespace wavetax
