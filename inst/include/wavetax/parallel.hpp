// Work split into numbered pieces. The pieces never depend on the number of
// threads, so neither do the results.
#pragma once

#include <algorithm>
#include <cstddef>
#include <utility>
#include <vector>

#ifdef _OPENMP
#include <omp.h>
#endif

namespace wavetax {

inline int available_threads() {
#ifdef _OPENMP
  return std::max(1, omp_get_max_threads());
#else
  return 1;
#endif
}

// Calls body(piece) once for every piece in [0, pieces).
template <class Body>
void for_each_piece(std::size_t pieces, int threads, Body&& body) {
  const long long count = static_cast<long long>(pieces);
#ifdef _OPENMP
#pragma omp parallel for schedule(dynamic) num_threads(threads) if (threads > 1 && count > 1)
#endif
  for (long long piece = 0; piece < count; ++piece) body(static_cast<std::size_t>(piece));
  (void)threads;
}

// Sums over rows in any order into a table of `size` numbers: body(table, begin, end) adds
// rows [begin, end). Rows are cut into two or four lanes, each with a table of its own, by the
// table's size and never by the number of threads; the tables are added in order.
template <class Body>
std::vector<double> sum_in_lanes(std::size_t rows, std::size_t size, int threads, Body&& body) {
  const std::size_t count = rows < 50000 ? 1 : size <= (std::size_t{1} << 20) ? 4 : 2;
  std::vector<std::vector<double>> tables(count);
  for_each_piece(count, threads, [&](std::size_t lane) {
    tables[lane].assign(size, 0.0);
    body(tables[lane].data(), rows * lane / count, rows * (lane + 1) / count);
  });
  const std::size_t piece = std::size_t{1} << 18;
  for_each_piece((size + piece - 1) / piece, threads, [&](std::size_t p) {
    const std::size_t end = std::min(size, (p + 1) * piece);
    for (std::size_t lane = 1; lane < count; ++lane)
      for (std::size_t i = p * piece; i < end; ++i) tables[0][i] += tables[lane][i];
  });
  return std::move(tables[0]);
}

// Calls body with the width as a constant where it is small, so that loops over it unroll.
template <std::size_t Width>
struct Fixed {
  static std::size_t of(std::size_t) { return Width; }
};
struct Loose {
  static std::size_t of(std::size_t width) { return width; }
};
template <class Body>
void with_width(std::size_t width, Body&& body) {
  switch (width) {
    case 1: return body(Fixed<1>());
    case 2: return body(Fixed<2>());
    case 3: return body(Fixed<3>());
    case 4: return body(Fixed<4>());
    case 5: return body(Fixed<5>());
    case 6: return body(Fixed<6>());
    default: return body(Loose());
  }
}

// Rows whose place in a table is fetched in advance.
constexpr std::size_t fetch_ahead = 16;

}  // namespace wavetax
