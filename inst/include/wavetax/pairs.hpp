// Short columns two rows at a time: the inner loops of the factor and of the rows' coordinates.
#pragma once

#include <algorithm>
#include <array>
#include <cstddef>
#include <cstring>

namespace wavetax {

// Two doubles as the processor's registers hold them; an extension that gcc and clang share.
using Pair = double __attribute__((vector_size(16)));

inline Pair load_pair(const double* from) {
  Pair out;
  std::memcpy(&out, from, sizeof out);
  return out;
}
inline void store_pair(double* to, Pair pair) { std::memcpy(to, &pair, sizeof pair); }

// out = in - a; `in` may be `out`.
inline void subtract(const double* in, double a, std::size_t count, double* out) {
  std::size_t r = 0;
  for (; r + 2 <= count; r += 2) store_pair(out + r, load_pair(in + r) - a);
  if (r < count) out[r] = in[r] - a;
}

// out = (in - a) - b; `in` may be `out`.
inline void subtract(const double* in, double a, double b, std::size_t count, double* out) {
  std::size_t r = 0;
  for (; r + 2 <= count; r += 2) store_pair(out + r, (load_pair(in + r) - a) - b);
  if (r < count) out[r] = (in[r] - a) - b;
}

// Products of v with each of `Columns` columns, `stride` apart, read once.
template <std::size_t Columns>
inline void dot_products(const double* v, const double* columns, std::size_t stride, std::size_t count, double* out) {
  Pair even[Columns] = {}, odd[Columns] = {};
  std::size_t r = 0;
  for (; r + 4 <= count; r += 4) {
    const Pair first = load_pair(v + r), second = load_pair(v + r + 2);
#pragma GCC unroll 4
    for (std::size_t c = 0; c < Columns; ++c) {
      even[c] += first * load_pair(columns + c * stride + r);
      odd[c] += second * load_pair(columns + c * stride + r + 2);
    }
  }
  for (std::size_t c = 0; c < Columns; ++c) {
    out[c] = (even[c][0] + even[c][1]) + (odd[c][0] + odd[c][1]);
    for (std::size_t i = r; i < count; ++i) out[c] += v[i] * columns[c * stride + i];
  }
}

// Takes times[c] * v from each of `Columns` columns.
template <std::size_t Columns>
inline void take_from_each(const double* v, const double* times, std::size_t count, double* columns,
                           std::size_t stride) {
  std::size_t r = 0;
  for (; r + 2 <= count; r += 2) {
    const Pair pair = load_pair(v + r);
#pragma GCC unroll 4
    for (std::size_t c = 0; c < Columns; ++c) {
      double* const at = columns + c * stride + r;
      store_pair(at, load_pair(at) - times[c] * pair);
    }
  }
  for (; r < count; ++r)
    for (std::size_t c = 0; c < Columns; ++c) columns[c * stride + r] -= times[c] * v[r];
}

// Takes times[c] times the column at columns + c * step from `out`, one after another, for `Columns` of
// them, and then multiplies by `scale`.
template <std::size_t Columns>
inline void take_each(const double* columns, std::ptrdiff_t step, const double* all_times, double scale,
                      std::size_t count, double* out) {
  // A copy that no store to `out` can change.
  std::array<double, Columns> times;
  std::copy_n(all_times, Columns, times.begin());
  std::size_t r = 0;
  for (; r + 2 <= count; r += 2) {
    Pair left = load_pair(out + r);
#pragma GCC unroll 4
    for (std::size_t c = 0; c < Columns; ++c)
      left -= times[c] * load_pair(columns + static_cast<std::ptrdiff_t>(c) * step + r);
    store_pair(out + r, left * scale);
  }
  for (; r < count; ++r) {
    for (std::size_t c = 0; c < Columns; ++c) out[r] -= times[c] * columns[static_cast<std::ptrdiff_t>(c) * step + r];
    out[r] *= scale;
  }
}

// The same for any number of columns, four at a time.
inline void take_all(const double* columns, std::ptrdiff_t step, const double* times, std::size_t width, double scale,
                     std::size_t count, double* out) {
  for (; width > 4; width -= 4, columns += 4 * step, times += 4) take_each<4>(columns, step, times, 1.0, count, out);
  switch (width) {
    case 4: return take_each<4>(columns, step, times, scale, count, out);
    case 3: return take_each<3>(columns, step, times, scale, count, out);
    case 2: return take_each<2>(columns, step, times, scale, count, out);
    case 1: return take_each<1>(columns, step, times, scale, count, out);
    default: return take_each<0>(columns, step, times, scale, count, out);
  }
}

}  // namespace wavetax
