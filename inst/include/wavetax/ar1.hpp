// Disturbances of an entity that follow AR(1) on the clock: corr(e_t, e_s) = rho^d, d ticks apart.
#pragma once

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

// An exact root of the inverse correlation, row by row: keep z_t + take z_before, the first row of an entity times
// sqrt(1 - rho^2). `log_keep` sums log keep.
struct Ar1Root {
  std::vector<double> keep, take;
  std::vector<long long> before;
  double log_keep = 0;
};

inline Ar1Root ar1_root(const int* entity, const int* clock, const int* order, std::size_t n, const double* rho,
                        bool own) {
  Ar1Root root;
  root.keep.resize(n);
  root.take.resize(n);
  root.before.resize(n);
  visit_in_time(entity, clock, order, n, [&](std::size_t row, long long before, int ticks) {
    const double r = own ? rho[entity[row] - 1] : *rho;
    const double innovation = one_less_power(r, 1);
    const double keep = std::sqrt(before < 0 ? innovation : innovation / one_less_power(r, ticks));
    root.keep[row] = keep;
    root.take[row] = before < 0 ? 0 : -keep * std::pow(r, ticks);
    root.before[row] = before;
    root.log_keep += std::log(keep);
  });
  return root;
}

// The root times s z, s the square roots of weights or null; z null is a column of ones.
inline void ar1_transform(const Ar1Root& root, const double* z, const double* s, double* out) {
  const auto scaled = [z, s](std::size_t i) { return (z ? z[i] : 1) * (s ? s[i] : 1); };
  for (std::size_t i = 0; i < root.keep.size(); ++i) {
    out[i] = root.keep[i] * scaled(i);
    if (root.before[i] >= 0) out[i] += root.take[i] * scaled(static_cast<std::size_t>(root.before[i]));
  }
}

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
