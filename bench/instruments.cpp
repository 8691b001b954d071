// The least that tests of an instrumented fit do with clusters of equal size in order, as bare loops over the same
// memory on two threads: see instrument-speed.R. Columns x1, x2, z1, z2, q, y.
// [[Rcpp::plugins(cpp17)]]
#include <Rcpp.h>

#include <array>
#include <cmath>
#include <thread>

namespace {

constexpr int p = 6, k = 5;
using Total = std::array<double, 36>;

struct Columns {
  std::array<const double*, p> x;
  std::size_t size;

  // Rows of the cluster that begins at g, less their means, a column after the other.
  void centred(std::size_t g, double* z) const {
    for (int c = 0; c < p; ++c) {
      double sum = 0.0;
      for (std::size_t t = 0; t < size; ++t) sum += x[c][g + t];
      const double mean = sum / static_cast<double>(size);
      for (std::size_t t = 0; t < size; ++t) z[c * size + t] = x[c][g + t] - mean;
    }
  }
};

double dot(const double* a, const double* b, std::size_t n) {
  double sum = 0.0;
  for (std::size_t t = 0; t < n; ++t) sum += a[t] * b[t];
  return sum;
}

// Scores of two instruments with one combination of columns, and their products: strength, over-identification.
void scores(const Columns& in, std::size_t begin, std::size_t end, Total& total) {
  double z[p * 64], e[64];
  for (std::size_t g = begin; g < end; g += in.size) {
    in.centred(g, z);
    for (std::size_t t = 0; t < in.size; ++t) {
      e[t] = 0.0;
      for (int c = 0; c < p; ++c) e[t] += 0.1 * (c + 1) * z[c * in.size + t];
    }
    const double a = dot(z + 2 * in.size, e, in.size), b = dot(z + 3 * in.size, e, in.size);
    total[0] += a * a;
    total[1] += a * b;
    total[2] += b * b;
  }
}

// Products of all columns by cluster, from which scores at any coefficients are: the set.
void products(const Columns& in, std::size_t begin, std::size_t end, Total& total) {
  double z[p * 64], s[4];
  for (std::size_t g = begin; g < end; g += in.size) {
    in.centred(g, z);
    // Z'[x1, x2, q, y] and Z'Z, combined to the scores of q and y less the exogenous.
    for (int i = 0; i < 2; ++i) {
      const double* const zi = z + (2 + i) * in.size;
      const double one = dot(zi, z, in.size), two = dot(zi, z + in.size, in.size);
      s[i] = dot(zi, z + 4 * in.size, in.size) - 0.1 * one - 0.2 * two;
      s[2 + i] = dot(zi, z + 5 * in.size, in.size) - 0.3 * one - 0.4 * two;
    }
    for (int i = 0, at = 0; i < 4; ++i)
      for (int j = 0; j <= i; ++j, ++at) total[at] += s[i] * s[j];
  }
}

// All products by cluster N, and (I - N)^-1 times the score: CR3, of the slopes or of a test.
void solved(const Columns& in, std::size_t begin, std::size_t end, Total& total) {
  double z[p * 64], n[p][p];
  for (std::size_t g = begin; g < end; g += in.size) {
    in.centred(g, z);
    for (int c = 0; c < p; ++c)
      for (int d = 0; d <= c; ++d) n[c][d] = 1e-9 * dot(z + c * in.size, z + d * in.size, in.size);
    double r[k];
    for (int c = 0; c < k; ++c) {
      for (int d = 0; d <= c; ++d) {
        double rest = (c == d ? 1.0 : 0.0) - n[c][d];
        for (int b = 0; b < d; ++b) rest -= n[c][b] * n[d][b];
        n[c][d] = c == d ? std::sqrt(rest) : rest / n[d][d];
      }
      r[c] = n[k][c];
      for (int b = 0; b < c; ++b) r[c] -= n[c][b] * r[b];
      r[c] /= n[c][c];
    }
    total[0] += r[k - 1] * r[k - 1];
  }
}

}  // namespace

// [[Rcpp::export]]
double bare_instruments(Rcpp::List columns, int size, std::string name) {
  Columns in;
  for (int c = 0; c < p; ++c) in.x[c] = REAL(columns[c]);
  in.size = size;
  const std::size_t n = Rf_xlength(columns[0]), half = n / size / 2 * size;
  const auto pass = name == "scores" ? scores : name == "products" ? products : solved;
  std::array<Total, 2> total{};
  std::thread other([&] { pass(in, half, n, total[1]); });
  pass(in, 0, half, total[0]);
  other.join();
  return total[0][0] + total[1][0];
}
