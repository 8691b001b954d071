// Disturbances of an entity that follow AR(1) on the clock: corr(e_t, e_s) = rho^d, d ticks apart.
#pragma once

#include <array>
#include <cmath>
#include <cstddef>
#include <vector>

namespace wavetax {

// Rows by entity and clock: `order` has row numbers from 1, or is null where rows stand so. Calls
// f(row, before, ticks) for each in order; `before` is the entity's row before, -1 where there is none.
template <class Visitor>
void visit_in_time(const int* entity, const int* clock, const int* order, std::size_t n, Visitor f) {
  long long before = -1;
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t row = order ? static_cast<std::size_t>(order[i] - 1) : i;
    if (before >= 0 && entity[before] != entity[row]) before = -1;
    f(row, before, before < 0 ? 0 : clock[row] - clock[before]);
    before = static_cast<long long>(row);
  }
}

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
    const auto value = [&](std::size_t i) { return ((z ? z[i] : 1.0) - centre) * (s ? s[i] : 1.0); };
    visit(begin, count, [&](std::size_t r, std::size_t row, std::size_t last, const Ar1Step& step) {
      out[r] = step.keep * value(row) + (step.take == 0 ? 0.0 : step.take * value(last));
    });
  }

  // The sum of log keep.
  double log_keep() const {
    double sum = 0;
    visit(0, n, [&](std::size_t, std::size_t, std::size_t, const Ar1Step& step) { sum += std::log(step.keep); });
    return sum;
  }

 private:
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
  std::array<Ar1Step, 32> steps_;  // by ticks, under one rho
};

// R s within entities, R the correlation of their rows.
inline void ar1_correlate(const int* entity, const int* clock, const int* order, std::size_t n, double rho,
                          const double* s, double* out) {
  std::vector<std::size_t> rows;
  std::vector<double> fade;  // from the row before
  rows.reserve(n);
  fade.reserve(n);
  visit_in_time(entity, clock, order, n, [&](std::size_t row, long long before, int ticks) {
    rows.push_back(row);
    fade.push_back(before < 0 ? 0 : std::pow(rho, ticks));
  });
  double carried = 0;
  for (std::size_t i = 0; i < n; ++i) {
    carried = s[rows[i]] + fade[i] * carried;
    out[rows[i]] = carried;
  }
  carried = 0;
  for (std::size_t i = n; i-- > 0;) {
    out[rows[i]] += carried;
    carried = fade[i] * (s[rows[i]] + carried);
  }
}

}  // namespace wavetax
