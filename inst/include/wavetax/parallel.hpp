// Work split into numbered pieces. The pieces never depend on the number of
// threads, so neither do the results.
#pragma once

#include <algorithm>
#include <cstddef>

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

}  // namespace wavetax
