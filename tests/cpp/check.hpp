// What the tests of the C++ core share: a count of claims, and a small uneven panel.
#pragma once

#include <wavetax.hpp>

#include <Eigen/Dense>
#include <cstdio>
#include <random>

inline int passed = 0, failed = 0;

inline void check(bool good, const char* claim) {
  good ? ++passed : ++failed;
  if (!good) std::printf("failed: %s\n", claim);
}

inline bool near(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b, double tolerance = 1e-11) {
  return a.rows() == b.rows() && a.cols() == b.cols() &&
         (a - b).cwiseAbs().maxCoeff() <= tolerance * std::max(1.0, b.cwiseAbs().maxCoeff());
}
