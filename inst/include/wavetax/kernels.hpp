// Products of scores that lie some periods apart.
#pragma once

#include <Eigen/Core>
#include <cstddef>
#include <vector>

#include "groups.hpp"
#include "parallel.hpp"

namespace wavetax {

// Sum over pairs of rows of one group, `lags` ticks of the clock apart or fewer, of Bartlett's weight
// 1 - distance / (lags + 1) times s s', both ways; a row with itself once. `scores` are n x width, one column after
// another; `order` has the rows, from 1, by group and within it by clock. A gap breaks no other pair.
inline Eigen::MatrixXd lagged_products(const double* scores, std::size_t n, std::size_t width, const Groups& groups,
                                       const int* clock, const int* order, int lags, int threads) {
  const std::size_t pieces = n < 50000 ? 1 : 16;
  std::vector<std::size_t> cut{0};
  for (std::size_t p = 1; p < pieces; ++p) {
    std::size_t at = n * p / pieces;
    while (at < n && groups.codes[order[at] - 1] == groups.codes[order[at - 1] - 1]) ++at;
    cut.push_back(at);
  }
  cut.push_back(n);
  const Eigen::Index size = static_cast<Eigen::Index>(width);
  std::vector<Eigen::MatrixXd> parts(pieces, Eigen::MatrixXd::Zero(size, size));
  for_each_piece(pieces, threads, [&](std::size_t piece) {
    std::vector<double> near(width);
    double* const to = parts[piece].data();
    for (std::size_t at = cut[piece]; at < cut[piece + 1]; ++at) {
      const std::size_t row = static_cast<std::size_t>(order[at]) - 1;
      // What comes before within reach, weighed, and half of the row itself.
      for (std::size_t c = 0; c < width; ++c) near[c] = scores[c * n + row] / 2.0;
      for (std::size_t back = at; back-- > cut[piece];) {
        const std::size_t other = static_cast<std::size_t>(order[back]) - 1;
        const double distance = static_cast<double>(clock[row]) - static_cast<double>(clock[other]);
        if (groups.codes[other] != groups.codes[row] || distance > lags) break;
        const double weight = 1.0 - distance / (lags + 1.0);
        for (std::size_t c = 0; c < width; ++c) near[c] += weight * scores[c * n + other];
      }
      for (std::size_t b = 0; b < width; ++b)
        for (std::size_t a = 0; a < width; ++a) to[b * width + a] += scores[a * n + row] * near[b];
    }
  });
  Eigen::MatrixXd out = Eigen::MatrixXd::Zero(size, size);
  for (const Eigen::MatrixXd& part : parts) out += part + part.transpose();
  return out;
}

}  // namespace wavetax
