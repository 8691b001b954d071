// The least that the passes of a fit do, as bare loops over the same memory, on two threads: see
// loops.R.
// [[Rcpp::plugins(cpp17)]]
#include <Rcpp.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <thread>

namespace {

constexpr int p = 4;  // columns, the outcome last
constexpr std::size_t longest = 64, block = 128, n_periods = 10;

using Total = std::array<double, 128>;

// Takes `count` rows of `w`, a column each `block` apart, into the upper factor `r` by reflections, as
// a factor that keeps the digits of columns far from zero has to.
void reflect(double* w, std::size_t count, double* r) {
  for (int j = 0; j < p; ++j) {
    double* const v = w + j * block;
    double below = 0.0;
    for (std::size_t i = 0; i < count; ++i) below += v[i] * v[i];
    if (below == 0.0) continue;
    const double top = r[j * p + j], norm = std::sqrt(top * top + below), beta = top > 0.0 ? -norm : norm;
    const double pivot = top - beta, tau = -1.0 / (beta * pivot);
    r[j * p + j] = beta;
    for (int l = j + 1; l < p; ++l) {
      double* const x = w + l * block;
      double product = pivot * r[j * p + l];
      for (std::size_t i = 0; i < count; ++i) product += v[i] * x[i];
      product *= tau;
      r[j * p + l] -= product * pivot;
      for (std::size_t i = 0; i < count; ++i) x[i] -= product * v[i];
    }
  }
}

// Half of the rows each; `pass(begin, end, table, total)`.
template <class Pass>
double on_two(std::size_t n, double* tables, std::size_t size, Pass&& pass) {
  std::array<Total, 2> totals{};
  const auto half = [&](int t) {
    pass(t ? n / 2 : 0, t ? n : n / 2, tables + t * size, totals[t]);
  };
  std::thread other(half, 1);
  half(0);
  other.join();
  double out = 0.0;
  for (const Total& total : totals)
    for (const double one : total) out += one;
  return out;
}

}  // namespace

// By name: "means" of sorted groups and products of what is left, "reflected" its factor instead; "scores" of
// swept rows by group; "robust", squared residuals times products of rows; "dimensions", these with scores by
// group and by period, "contrasts" with what six contrasts have of each period besides, which its degrees of freedom
// ask for; of rows in any order "sums" by group, "products" of swept rows and "scattered" scores. With "both" before
// means, scores, sums, products or scattered, by group and by period.
// [[Rcpp::export]]
double bare_loop(Rcpp::List columns, Rcpp::IntegerVector groups, Rcpp::IntegerVector periods,
                 Rcpp::NumericVector means, Rcpp::NumericVector tables, std::string name) {
  const bool both = name.compare(0, 5, "both ") == 0;
  if (both) name = name.substr(5);
  std::array<const double*, p> column;
  for (int j = 0; j < p; ++j) column[j] = REAL(columns[j]);
  const int* const g = groups.begin();
  const int* const t = periods.begin();
  double* const mean = means.begin();
  const std::array<double, 3> b = {0.1, 0.2, 0.3};
  const std::size_t n = static_cast<std::size_t>(groups.size()),
                    size = static_cast<std::size_t>(tables.size()) / 2;
  const bool is_means = name == "means", is_scores = name == "scores", is_robust = name == "robust",
             is_reflected = name == "reflected", by_contrast = name == "contrasts",
             by_period = name == "dimensions" || by_contrast, sums = name == "sums",
             products_alone = name == "products";
  std::array<double, n_periods * p> level{};  // of periods
  const auto sorted = [&](std::size_t begin, std::size_t end, double*, Total& total) {
    double w[p][longest], e[longest], rows[p * block], parts[n_periods * 6] = {};
    std::size_t used = 0;
    const auto products = [&](int width, std::size_t k) {
      for (int j = 0, at = 0; j < width; ++j)
        for (int l = 0; l <= j; ++l, ++at) {
          double sum = 0.0;
          for (std::size_t i = 0; i < k; ++i) sum += w[j][i] * w[l][i];
          total[at] += sum;
        }
    };
    for (std::size_t r = begin, stop = r; r < end; r = stop) {
      while (stop < end && g[stop] == g[r]) ++stop;
      const std::size_t k = stop - r;
      double* const own = mean + static_cast<std::size_t>(g[r] - 1) * p;
      for (int j = 0; j < p; ++j) {
        if (is_means || is_reflected) {
          double sum = 0.0;
          for (std::size_t i = 0; i < k; ++i) sum += column[j][r + i];
          own[j] = sum / static_cast<double>(k);
        }
        for (std::size_t i = 0; i < k; ++i) w[j][i] = column[j][r + i] - own[j];
        for (std::size_t i = 0; both && i < k; ++i) {
          if (is_means) total[64 + (t[r + i] - 1) * p + j] += column[j][r + i];
          w[j][i] -= level[(t[r + i] - 1) * p + j];
        }
      }
      if (is_reflected) {
        if (used + k > block) {
          reflect(rows, used, total.data());
          used = 0;
        }
        for (int j = 0; j < p; ++j) std::copy_n(w[j], k, rows + j * block + used);
        used += k;
        continue;
      }
      if (is_means) {
        products(p, k);
        continue;
      }
      for (std::size_t i = 0; i < k; ++i)
        e[i] = w[3][i] - b[0] * w[0][i] - b[1] * w[1][i] - b[2] * w[2][i];
      for (int c = 0; by_contrast && c < 6; ++c)
        for (std::size_t i = 0; i < k; ++i) {
          const double u = b[0] * w[0][i] + b[1] * w[1][i] + b[2] * w[c % 3][i];
          parts[(t[r + i] - 1) * 6 + c] += u * u;
        }
      for (int j = 0; j < 3; ++j)
        for (std::size_t i = 0; i < k; ++i) w[j][i] *= e[i];
      if (!is_scores) products(3, k);
      if (is_robust) continue;
      double score[3] = {};
      for (int j = 0; j < 3; ++j)
        for (std::size_t i = 0; i < k; ++i) score[j] += w[j][i];
      for (int j = 0, at = 6; j < 3; ++j)
        for (int l = 0; l <= j; ++l, ++at) total[at] += score[j] * score[l];
      for (std::size_t i = 0; by_period && i < k; ++i)
        for (int j = 0; j < 3; ++j) total[16 + (t[r + i] - 1) * 3 + j] += w[j][i];
    }
    for (const double part : parts) total[127] += part;
  };
  const auto scattered = [&](std::size_t begin, std::size_t end, double* table, Total& total) {
    constexpr std::size_t ahead = 16;
    for (std::size_t r = begin; r < end; ++r) {
      if (r + ahead < end) {
        const std::size_t next = static_cast<std::size_t>(g[r + ahead] - 1) * p;
        if (!sums) __builtin_prefetch(mean + next);
        if (!products_alone) __builtin_prefetch(table + next, 1);
      }
      const std::size_t at = static_cast<std::size_t>(g[r] - 1) * p;
      double w[p];
      for (int j = 0; j < p; ++j) w[j] = column[j][r];
      const std::size_t period = static_cast<std::size_t>(t[r] - 1) * p;
      if (sums) {
        for (int j = 0; j < p; ++j) table[at + j] += w[j];
        for (int j = 0; both && j < p; ++j) total[64 + period + j] += w[j];
        continue;
      }
      for (int j = 0; both && j < p; ++j) w[j] -= level[period + j];
      for (int j = 0; j < p; ++j) w[j] -= mean[at + j];
      if (products_alone) {
        for (int j = 0, cell = 0; j < p; ++j)
          for (int l = 0; l <= j; ++l, ++cell) total[cell] += w[j] * w[l];
        continue;
      }
      const double e = w[3] - b[0] * w[0] - b[1] * w[1] - b[2] * w[2];
      for (int j = 0; j < 3; ++j) table[at + j] += e * w[j];
    }
  };
  const bool any_order = sums || products_alone || name == "scattered";
  return any_order ? on_two(n, tables.begin(), size, scattered)
                   : on_two(n, tables.begin(), size, sorted);
}
