// Draws of a wild bootstrap by cluster, from sums by cluster alone. Under the null that moves a coefficient by tau, in
// units of its direction u, cluster g's score is z_g + tau N_g u; a draw gives each cluster a weight v_g, and of it are
// kept the numbers from which its t follows for any tau:
//   t^2 = (n0 + tau n1)^2 / (q00 + 2 tau q01 + tau^2 q11)
#pragma once

#include <Eigen/Core>
#include <cstddef>

#include "groups.hpp"
#include "parallel.hpp"

namespace wavetax {

// One coefficient, r coordinates and G clusters.
struct WildDirection {
  Eigen::VectorXd u;         // r
  Eigen::MatrixXd shifted;   // r x G: N_g u
  Eigen::MatrixXd taken;     // r x G: N_g f_g, f_g the direction as its t statistic adjusts it
  Eigen::VectorXd level;     // G: f_g'z_g
  Eigen::VectorXd slope;     // G: f_g'N_g u
  // Where effects carry scores across clusters, G x G in place of level and slope; else empty.
  Eigen::MatrixXd carried_level, carried_slope;
};

// `scores` r x G, `weights` G x draws; `out` has draws x 5 numbers: n0, n1, q00, q01, q11.
inline void wild_draws(const Eigen::Ref<const Eigen::MatrixXd>& scores, const Eigen::Ref<const Eigen::MatrixXd>& weights,
                       const WildDirection& one, double* out, int threads) {
  const Eigen::Index draws = weights.cols();
  const std::vector<std::size_t> cuts = even_cuts(static_cast<std::size_t>(draws), 512);
  for_each_piece(cuts.size() - 1, threads, [&](std::size_t piece) {
    Eigen::VectorXd zeta, moved, s0, s1;
    for (Eigen::Index d = static_cast<Eigen::Index>(cuts[piece]); d < static_cast<Eigen::Index>(cuts[piece + 1]); ++d) {
      const auto v = weights.col(d);
      zeta.noalias() = scores * v;
      moved.noalias() = one.shifted * v;
      if (one.carried_level.size() > 0) {
        s0.noalias() = one.carried_level * v;
        s1.noalias() = one.carried_slope * v;
      } else {
        s0 = one.level.cwiseProduct(v);
        s1 = one.slope.cwiseProduct(v);
      }
      s0.noalias() -= one.taken.transpose() * zeta;
      s1.noalias() -= one.taken.transpose() * moved;
      out[d] = one.u.dot(zeta);
      out[draws + d] = one.u.dot(moved);
      out[2 * draws + d] = s0.squaredNorm();
      out[3 * draws + d] = s0.dot(s1);
      out[4 * draws + d] = s1.squaredNorm();
    }
  });
}

}  // namespace wavetax
