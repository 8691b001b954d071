// Solutions of the reduced system, M g = D2'W Q1 z for several columns z: from its Cholesky factor
// where it was made whole, otherwise by conjugate gradients. What is left is always measured.
#pragma once

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <functional>
#include <memory>
#include <vector>

#include "cholesky.hpp"
#include "laplacian.hpp"
#include "reduced-matrix.hpp"

namespace wavetax {

struct SolverOptions {
  double tolerance = 1e-10;         // relative residual of each swept column
  std::size_t max_iterations = 5000;
  std::size_t dense_limit = 2048;   // unknowns of the largest reduced system that is solved densely
  int threads = 1;
  std::function<bool()> stop = [] { return false; };  // whether the user wants out
};

// The right sides, and the solutions as they come.
struct ReducedProblem {
  std::size_t width = 0;
  Numbers right;         // m x width
  Numbers solution;
  Numbers squares;       // of each column: z'Wz
  Numbers left_by_first; // z'W Q1 z
  bool converged = true, stopped = false;
  std::size_t iterations = 0;
  double achieved = 0.0;             // the largest relative residual of a swept column
  Numbers left_means;                // of each column: the squares of the group means left in it
};

class ReducedSolver {
 public:
  // `matrix` must outlive the solver.
  ReducedSolver(const ReducedMatrix& matrix, bool has_weights, bool has_trends, const SolverOptions& options)
      : matrix_(matrix), uneven_(has_weights || has_trends), options_(options) {}

  // Of a graph one level in each connected component stands for the rest of the null space; with
  // more sets, or trends, the pivots tell.
  void factorise() {
    const std::size_t m = matrix_.unknowns;
    const std::vector<char> references = matrix_.is_graph() ? reference_levels() : std::vector<char>();
    const Eigen::Map<const Eigen::MatrixXd> entries(matrix_.entries.data(), m, m);
    factor_ = std::make_unique<Cholesky>(entries, matrix_.gram, references, references.empty() ? 1e-10 : 0.0,
                                         options_.threads);
  }

  const Cholesky* factor() const { return factor_.get(); }

  void solve(ReducedProblem& problem) const { factor_ ? solve_dense(problem) : solve_iterated(problem); }

 private:
  const ReducedMatrix& matrix_;
  const bool uneven_;
  const SolverOptions options_;
  std::unique_ptr<Cholesky> factor_;

  // Two levels are linked where a group of the first set has both: the links are the matrix's.
  std::vector<char> reference_levels() const {
    const std::size_t m = matrix_.unknowns;
    std::vector<char> out(m, 0), seen(m, 0);
    std::vector<std::size_t> reached;
    for (std::size_t root = m; root-- > 0;) {
      if (seen[root]) continue;
      out[root] = seen[root] = 1;
      reached.assign(1, root);
      while (!reached.empty()) {
        const double* line = &matrix_.entries[reached.back() * m];
        reached.pop_back();
        for (std::size_t u = 0; u < m; ++u)
          if (line[u] != 0.0 && !seen[u]) {
            seen[u] = 1;
            reached.push_back(u);
          }
      }
    }
    return out;
  }

  // ---- from the factor -----------------------------------------------------

  // What the factor leaves is measured: on the system's own matrix and, where weights or trends may
  // have cost that digits, on the rows. Above 1e-12 it is solved for once more; should that not be
  // enough, conjugate gradients go on from the factor.
  void solve_dense(ReducedProblem& problem) const {
    problem.solution = problem.right;
    factor_->solve(problem.solution, problem.width);
    bool settled = true;
    Numbers residual = residual_of_matrix(problem);
    problem.achieved = measure_all(problem, residual, settled);
    if (!uneven_ && problem.achieved <= 1e-12) return;
    for (int round = 0; round < 2; ++round) {
      residual = residual_of_rows(problem);
      problem.achieved = measure_all(problem, residual, settled);
      if (problem.achieved <= 1e-12 || round == 1) break;
      factor_->solve(residual, problem.width);
      for (std::size_t i = 0; i < residual.size(); ++i) problem.solution[i] += residual[i];
    }
    constexpr std::size_t further = 50;
    if (!settled) iterate_columns(problem, *factor_, std::min(further, options_.max_iterations));
  }

  Numbers residual_of_matrix(const ReducedProblem& problem) const {
    using ByRow = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
    const Eigen::Index m = static_cast<Eigen::Index>(matrix_.unknowns), p = static_cast<Eigen::Index>(problem.width);
    Numbers out = problem.right;
    Eigen::Map<ByRow>(out.data(), m, p).noalias() -= Eigen::Map<const ByRow>(matrix_.entries.data(), m, m)
        .lazyProduct(Eigen::Map<const ByRow>(problem.solution.data(), m, p));
    return out;
  }

  Numbers residual_of_rows(const ReducedProblem& problem) const {
    const std::size_t m = matrix_.unknowns, width = problem.width;
    Numbers out = problem.right, part(m * 4), image;
    for (std::size_t c = 0; c < width; c += 4) {
      const std::size_t active = std::min<std::size_t>(4, width - c);
      std::fill(part.begin(), part.end(), 0.0);
      for (std::size_t u = 0; u < m; ++u)
        for (std::size_t a = 0; a < active; ++a) part[u * 4 + a] = problem.solution[u * width + c + a];
      matrix_.times<4>(part, image);
      for (std::size_t u = 0; u < m; ++u)
        for (std::size_t a = 0; a < active; ++a) out[u * width + c + a] -= image[u * 4 + a];
    }
    return out;
  }

  // ---- what is left --------------------------------------------------------

  // Sums of one column: what its solution explains, the group means left in it, its levels.
  struct Left {
    double energy = 0.0, mean = 0.0, levels = 0.0;
    void add(double solution, double right, double residual, double gram) {
      energy += solution * (right + residual);
      levels += gram * solution * solution;
      if (gram > 0.0) mean += residual * residual / gram;
    }
  };

  // What the effects leave of a column is known as a difference here, and not below the rounding of its parts.
  static constexpr double smallest_share = 1e-12;
  static double swept_square(const ReducedProblem& problem, std::size_t column, const Left& left) {
    const double swept = problem.left_by_first[column] - left.energy;
    return swept > smallest_share * problem.left_by_first[column] ? swept : 0.0;
  }

  // The group means left in a swept column against the column, 0 where that is not known.
  static double relative_residual(const ReducedProblem& problem, std::size_t column, const Left& left) {
    const double swept = swept_square(problem, column, left);
    return swept > 0.0 ? std::sqrt(left.mean / swept) : 0.0;
  }

  // Within the tolerance, or no more than the rounding of the numbers it was computed from: a column
  // that the effects hold but for little has nothing to compare with, and one of wide weights or long
  // chains of levels little.
  bool is_settled(const ReducedProblem& problem, std::size_t column, const Left& left) const {
    constexpr double rounding = 1e-14;
    const double swept = swept_square(problem, column, left);
    return (swept > 0.0 && left.mean <= options_.tolerance * options_.tolerance * swept) ||
           left.mean <= rounding * rounding * (problem.squares[column] + left.levels);
  }

  // The largest relative residual; `settled` is whether every column is.
  double measure_all(ReducedProblem& problem, const Numbers& residual, bool& settled) const {
    double worst = 0.0;
    settled = true;
    problem.left_means.assign(problem.width, 0.0);
    for (std::size_t c = 0; c < problem.width; ++c) {
      Left left;
      for (std::size_t u = 0; u < matrix_.unknowns; ++u) {
        const std::size_t at = u * problem.width + c;
        left.add(problem.solution[at], problem.right[at], residual[at], matrix_.gram[u]);
      }
      settled = settled && is_settled(problem, c, left);
      problem.left_means[c] = left.mean;
      worst = std::max(worst, relative_residual(problem, c, left));
    }
    return worst;
  }

  // ---- conjugate gradients -------------------------------------------------

  // A graph with many edges a vertex is dear to factor and likely well connected, so that the
  // diagonal alone does: that is tried first, and the factor made where it does not.
  void solve_iterated(ReducedProblem& problem) const {
    constexpr std::size_t many_edges = 6, diagonal_steps = 40;
    const std::vector<Edge>& edges = matrix_.edges;
    const std::size_t vertices = matrix_.vertices();
    if (edges.size() > many_edges * vertices) {
      iterate_columns(problem, Preconditioner({}, vertices, matrix_.entries, matrix_.gram),
                      std::min(diagonal_steps, options_.max_iterations));
      if (problem.converged || problem.stopped) return;
    }
    iterate_columns(problem, Preconditioner(edges, vertices, matrix_.entries, matrix_.gram), options_.max_iterations);
  }

  template <class Inverse>
  void iterate_columns(ReducedProblem& problem, const Inverse& preconditioner, std::size_t most) const {
    allocate(problem.solution, matrix_.unknowns * problem.width);
    problem.converged = true;
    problem.achieved = 0.0;
    problem.left_means.assign(problem.width, 0.0);
    std::size_t steps = 0;  // of the columns that take the most
    for (std::size_t c = 0; c < problem.width && !problem.stopped; c += 4) {
      steps = std::max(steps, problem.width - c == 1 ? iterate<1>(problem, c, preconditioner, most)
                                                     : iterate<4>(problem, c, preconditioner, most));
    }
    problem.iterations += steps;
  }

  // P columns from `first_column` on; the steps taken.
  template <std::size_t P, class Inverse>
  std::size_t iterate(ReducedProblem& problem, std::size_t first_column, const Inverse& preconditioner,
                      std::size_t most) const {
    const std::size_t m = matrix_.unknowns, active = std::min(P, problem.width - first_column);
    Numbers x = zeros(m * P), r = zeros(m * P), z = zeros(m * P), direction, image = zeros(m * P);
    for (std::size_t u = 0; u < m; ++u)
      for (std::size_t c = 0; c < active; ++c) r[u * P + c] = problem.right[u * problem.width + first_column + c];
    const Numbers right = r;
    double rho[P] = {}, worst = 0.0;
    auto dot = [m](const Numbers& a, const Numbers& b, double* out) {
      std::fill(out, out + P, 0.0);
      for (std::size_t u = 0; u < m; ++u)
        for (std::size_t c = 0; c < P; ++c) out[c] += a[u * P + c] * b[u * P + c];
    };
    auto all_settled = [&]() {
      Left left[P];
      for (std::size_t u = 0; u < m; ++u)
        for (std::size_t c = 0; c < P; ++c)
          left[c].add(x[u * P + c], right[u * P + c], r[u * P + c], matrix_.gram[u]);
      bool done = true;
      worst = 0.0;
      for (std::size_t c = 0; c < active; ++c) {
        worst = std::max(worst, relative_residual(problem, first_column + c, left[c]));
        problem.left_means[first_column + c] = left[c].mean;
        done = done && is_settled(problem, first_column + c, left[c]);
      }
      return done;
    };
    bool done = all_settled();
    preconditioner.template apply<P>(r, z);
    direction = z;
    dot(r, z, rho);
    std::size_t step = 0;
    for (; !done && step < most; ++step) {
      if (options_.stop()) {
        problem.stopped = true;
        return step;
      }
      matrix_.template step<P>(direction, image);
      double curvature[P], next[P], alpha[P], beta[P];
      dot(direction, image, curvature);
      for (std::size_t c = 0; c < P; ++c) alpha[c] = curvature[c] > 0.0 ? rho[c] / curvature[c] : 0.0;
      for (std::size_t u = 0; u < m; ++u)
        for (std::size_t c = 0; c < P; ++c) {
          x[u * P + c] += alpha[c] * direction[u * P + c];
          r[u * P + c] -= alpha[c] * image[u * P + c];
        }
      done = all_settled();
      preconditioner.template apply<P>(r, z);
      dot(r, z, next);
      for (std::size_t c = 0; c < P; ++c) {
        beta[c] = rho[c] > 0.0 ? next[c] / rho[c] : 0.0;
        rho[c] = next[c];
      }
      for (std::size_t u = 0; u < m; ++u)
        for (std::size_t c = 0; c < P; ++c) direction[u * P + c] = z[u * P + c] + beta[c] * direction[u * P + c];
    }
    // What is reported is the residual itself, not the one carried along.
    matrix_.times<P>(x, image);
    for (std::size_t i = 0; i < r.size(); ++i) r[i] = right[i] - image[i];
    all_settled();
    problem.achieved = std::max(problem.achieved, worst);
    problem.converged = problem.converged && done;
    for (std::size_t u = 0; u < m; ++u)
      for (std::size_t c = 0; c < active; ++c)
        problem.solution[u * problem.width + first_column + c] = x[u * P + c];
    return step;
  }
};

}  // namespace wavetax
