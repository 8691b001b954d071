// The least that the passes of a fixed effects fit do, without AR(1) and with it, as bare loops over the same memory on
// two threads: see serial.R. Groups of equal size, rows in order of time.
// [[Rcpp::plugins(cpp17)]]
#include <Rcpp.h>

#include <array>
#include <thread>

namespace {

constexpr int p = 4;  // columns, the outcome last
using Total = std::array<double, 16>;

struct Columns {
  std::array<const double*, p> x;
  const int *group, *clock;
  std::size_t size;

  // Row i under the root of AR(1) with rho .4; what the column of ones becomes.
  double rooted(std::size_t i, double* z) const {
    const bool follows = i > 0 && group[i] == group[i - 1] && clock[i] - clock[i - 1] == 1;
    const double keep = follows ? 1.0 : 0.917, take = follows ? -0.4 : 0.0;
    for (int c = 0; c < p; ++c) z[c] = keep * x[c][i] + (follows ? take * x[c][i - 1] : 0.0);
    return keep + take;
  }
};

double residual(const double* z) { return z[3] - 0.1 * z[0] - 0.2 * z[1] - 0.3 * z[2]; }

// Products of columns less their regression on the loading, by group.
void levels(const Columns& in, bool rooted, std::size_t begin, std::size_t end, Total& total) {
  double z[64][p], tau[64];
  for (std::size_t g = begin; g < end; g += in.size) {
    double level[p] = {}, weight = 0.0;
    for (std::size_t t = 0; t < in.size; ++t) {
      tau[t] = 1.0;
      if (rooted) tau[t] = in.rooted(g + t, z[t]);
      else for (int c = 0; c < p; ++c) z[t][c] = in.x[c][g + t];
      weight += tau[t] * tau[t];
      for (int c = 0; c < p; ++c) level[c] += tau[t] * z[t][c];
    }
    for (std::size_t t = 0; t < in.size; ++t) {
      for (int c = 0; c < p; ++c) z[t][c] -= tau[t] * level[c] / weight;
      for (int c = 0, at = 0; c < p; ++c)
        for (int d = 0; d <= c; ++d, ++at) total[at] += z[t][c] * z[t][d];
    }
  }
}

void scores(const Columns& in, bool rooted, std::size_t begin, std::size_t end, Total& total) {
  double z[p];
  for (std::size_t g = begin; g < end; g += in.size) {
    double score[3] = {};
    for (std::size_t i = g; i < g + in.size; ++i) {
      if (rooted) in.rooted(i, z);
      else for (int c = 0; c < p; ++c) z[c] = in.x[c][i];
      const double e = residual(z);
      for (int c = 0; c < 3; ++c) score[c] += z[c] * e;
    }
    for (int c = 0, at = 0; c < 3; ++c)
      for (int d = 0; d <= c; ++d, ++at) total[at] += score[c] * score[d];
  }
}

// What residuals show of rho.
void moments(const Columns& in, std::size_t begin, std::size_t end, Total& total) {
  double last = 0.0, z[p];
  for (std::size_t i = begin; i < end; ++i) {
    for (int c = 0; c < p; ++c) z[c] = in.x[c][i];
    const double e = residual(z);
    if (i > begin && in.group[i] == in.group[i - 1] && in.clock[i] - in.clock[i - 1] == 1) total[0] += e * last;
    total[1] += e * e;
    last = e;
  }
}

}  // namespace

// [[Rcpp::export]]
double bare_serial(Rcpp::List columns, Rcpp::IntegerVector group, Rcpp::IntegerVector clock, int size, std::string name) {
  Columns in;
  for (int c = 0; c < p; ++c) in.x[c] = REAL(columns[c]);
  in.group = group.begin();
  in.clock = clock.begin();
  in.size = static_cast<std::size_t>(size);
  const std::size_t n = static_cast<std::size_t>(group.size()), middle = n / 2 / in.size * in.size;
  std::array<Total, 2> totals{};
  const bool rooted = name.compare(0, 6, "AR(1) ") == 0;
  const auto half = [&](int t) {
    const std::size_t begin = t ? middle : 0, end = t ? n : middle;
    if (name == "moments of rho") moments(in, begin, end, totals[t]);
    else if (name.find("scores") != std::string::npos) scores(in, rooted, begin, end, totals[t]);
    else levels(in, rooted, begin, end, totals[t]);
  };
  std::thread other(half, 1);
  half(0);
  other.join();
  return totals[0][0] + totals[1][0];
}
