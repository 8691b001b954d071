// What covariances of coefficients sum up on one walk over the rows of a regression; see visit.hpp. All of it is in the
// orthonormal coordinates of the regression, u = R^-T x for its upper factor R: no digits are lost to
// columns far from zero or close to each other. A block's combination is the residual e.
#pragma once

#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include "groups.hpp"
#include "sinks.hpp"
#include "triangle.hpp"
#include "visit.hpp"

namespace wavetax {

// The weighted squared length of each row of a block in orthonormal coordinates, the first `skip` left out: the
// regressors' part of its leverage.
inline void squared_lengths(const Block& block, std::size_t width, std::size_t skip, double* out) {
  std::fill_n(out, block_rows, 0.0);
  for (std::size_t c = skip; c < width; ++c) {
    const double* const u = block.column(c);
    for (std::size_t i = 0; i < block_rows; i += 2) {
      const Pair pair = load_pair(u + i);
      store_pair(out + i, load_pair(out + i) + pair * pair);
    }
  }
  if (block.weights)
    for (std::size_t i = 0; i < block.count; ++i) out[i] *= block.weights[i];
}

// products[a] = sum of v times column a, for the first `width` columns.
inline void products_with(const Block& block, const double* v, std::size_t width, double* products) {
  for (std::size_t a = 0; a < width; a += 4) {
    const double* const from = block.column(a);
    switch (std::min<std::size_t>(4, width - a)) {
      case 4: dot_products<4>(v, from, block_rows, block.count, products + a); break;
      case 3: dot_products<3>(v, from, block_rows, block.count, products + a); break;
      case 2: dot_products<2>(v, from, block_rows, block.count, products + a); break;
      default: dot_products<1>(v, from, block_rows, block.count, products + a);
    }
  }
}

// s_g = sum of w u e over the rows of cluster g. By period these are the sums that spatial and serial
// covariances start from. With `lengths` the cluster's sum of w |u|^2 stands behind them.
class ScoreSink {
 public:
  ScoreSink(const Groups& clusters, const Eigen::MatrixXd& upper, bool lengths = false, std::size_t skip = 0)
      : table_(clusters, static_cast<std::size_t>(upper.cols()) + (lengths ? 1 : 0)),
        upper_(&upper), lengths_(lengths), skip_(skip) {}

  std::vector<std::size_t> cuts(std::size_t n) const { return table_.cuts(n); }
  ScoreSink part() const {
    ScoreSink out = *this;
    out.table_ = table_.part();
    return out;
  }
  void add(Block& block) {
    const std::size_t width = static_cast<std::size_t>(upper_->cols());
    to_orthonormal(*upper_, block.values, block.count);
    if (lengths_) squared_lengths(block, width, skip_, lengths_of_rows_.data());
    if (block.weights)
      for (std::size_t i = 0; i < block.count; ++i) block.combined[i] *= block.weights[i];
    table_.with_rows(block, [&](auto of_row) {
      table_.sorted() ? add_runs(block, width, of_row) : add_scattered(block, width, of_row);
    });
  }
  void merge(const ScoreSink& other) { table_.merge(other.table_); }
  void finish() {}

  // Clusters x width, one cluster after another.
  const Numbers& scores() { return table_.values(); }

 private:
  // Rows of one cluster stand together: a product of two short vectors for each column.
  template <class OfRow>
  void add_runs(Block& block, std::size_t width, OfRow of_row) {
    const int* const cluster = table_.codes() + block.begin;
    for (std::size_t at = 0; at < block.count;) {
      std::size_t stop = at + 1;
      while (stop < block.count && cluster[stop] == cluster[at]) ++stop;
      double* const sum = of_row(at);
      for (std::size_t c = 0; c < width; ++c) {
        const double* const u = block.column(c);
        double total = 0.0;
        for (std::size_t i = at; i < stop; ++i) total += u[i] * block.combined[i];
        sum[c] += total;
      }
      if (lengths_)
        for (std::size_t i = at; i < stop; ++i) sum[width] += lengths_of_rows_[i];
      at = stop;
    }
  }

  template <class OfRow>
  void add_scattered(Block& block, std::size_t width, OfRow of_row) {
    for (std::size_t i = 0; i < block.count; ++i) {
      double* const to = of_row(i);
      const double* const u = block.values + i;
      const double e = block.combined[i];
      for (std::size_t c = 0; c < width; ++c) to[c] += u[c * block_rows] * e;
      if (lengths_) to[width] += lengths_of_rows_[i];
    }
  }

  GroupTable table_;
  const Eigen::MatrixXd* upper_;
  bool lengths_;
  std::size_t skip_;
  std::array<double, block_rows> lengths_of_rows_;
};

// N_g = sum of w u u' over the rows of cluster g, its upper triangle column by column.
class GramSink {
 public:
  GramSink(const Groups& clusters, const Eigen::MatrixXd& upper)
      : width_(static_cast<std::size_t>(upper.cols())), table_(clusters, width_ * (width_ + 1) / 2), upper_(&upper) {}

  std::vector<std::size_t> cuts(std::size_t n) const { return table_.cuts(n); }
  GramSink part() const {
    GramSink out = *this;
    out.table_ = table_.part();
    return out;
  }
  void add(Block& block) {
    to_orthonormal(*upper_, block.values, block.count);
    table_.with_rows(block, [&](auto of_row) {
      for (std::size_t i = 0; i < block.count; ++i) {
        double* to = of_row(i);
        for (std::size_t b = 0; b < width_; ++b) {
          const double one = block.weight(i) * block.column(b)[i];
          for (std::size_t a = 0; a <= b; ++a) *to++ += block.column(a)[i] * one;
        }
      }
    });
  }
  void merge(const GramSink& other) { table_.merge(other.table_); }
  void finish() {}

  const Numbers& grams() { return table_.values(); }

 private:
  std::size_t width_;
  GroupTable table_;
  const Eigen::MatrixXd* upper_;
};

// How the effects' part of a row's leverage is known.
struct EffectLeverage {
  const double* by_row = nullptr;   // for each row
  const int* codes = nullptr;       // or by group: w times the inverse of the group's weight
  const double* inverse = nullptr;
  std::size_t skip = 0;             // coordinates that the effects hold: those of a constant set aside

  double of(std::size_t row, double w) const {
    if (by_row) return by_row[row];
    return codes ? w * inverse[static_cast<std::size_t>(codes[row]) - 1] : 0.0;
  }
};

// A row that the regression fits whatever its outcome tells nothing of the noise: h = 1 but for rounding.
constexpr double live_margin = 1e-9;

// sum of w^2 e^2 / (1 - h)^delta u u', h the leverage of the row, over rows with h < 1, delta `power` or, where
// that is negative, min(4, h / `mean_leverage`). Also how many rows have h = 1; or, with `quick`, in which leverages are
// passed over, how many have a residual below that, as those rows do.
class RobustSink {
 public:
  RobustSink(const Eigen::MatrixXd& upper, const EffectLeverage& leverage, double power, double mean_leverage,
             double quick = -1.0)
      : upper_(&upper), leverage_(leverage), power_(power), mean_leverage_(mean_leverage), quick_(quick),
        products_(static_cast<std::size_t>(upper.cols() * upper.cols()), 0.0) {}

  std::vector<std::size_t> cuts(std::size_t n) const { return even_cuts(n, 4 * piece_rows); }
  RobustSink part() const { return RobustSink(*upper_, leverage_, power_, mean_leverage_, quick_); }
  void add(Block& block) {
    const std::size_t width = static_cast<std::size_t>(upper_->cols());
    std::array<double, block_rows> factor, scaled;
    Numbers& sums = sums_;
    sums.resize(width + 4);
    to_orthonormal(*upper_, block.values, block.count);
    if (quick_ >= 0.0) {
      for (std::size_t i = 0; i < block.count; ++i) {
        const double we = block.weight(i) * block.combined[i];
        fitted_ += std::fabs(block.combined[i]) <= quick_;
        factor[i] = we * we;
      }
    } else {
      squared_lengths(block, width, leverage_.skip, factor.data());
      weigh(block, factor.data());
    }
    for (std::size_t b = 0; b < width; ++b) {
      const double* const u = block.column(b);
      std::size_t i = 0;
      for (; i + 2 <= block.count; i += 2) store_pair(&scaled[i], load_pair(&factor[i]) * load_pair(u + i));
      if (i < block.count) scaled[i] = factor[i] * u[i];
      products_with(block, scaled.data(), b + 1, sums.data());
      for (std::size_t a = 0; a <= b; ++a) products_[b * width + a] += sums[a];
    }
  }
  void merge(const RobustSink& other) {
    for (std::size_t i = 0; i < products_.size(); ++i) products_[i] += other.products_[i];
    fitted_ += other.fitted_;
  }
  void finish() {}

  Eigen::MatrixXd products() const {
    const Eigen::Index width = upper_->cols();
    Eigen::MatrixXd out(width, width);
    for (Eigen::Index b = 0; b < width; ++b)
      for (Eigen::Index a = 0; a <= b; ++a)
        out(a, b) = out(b, a) = products_[static_cast<std::size_t>(b * width + a)];
    return out;
  }
  std::size_t fitted() const { return fitted_; }

 private:
  // From regressors' parts of leverages to the factors of the rows.
  void weigh(const Block& block, double* factor) {
    for (std::size_t i = 0; i < block.count; ++i) {
      const double w = block.weight(i), h = factor[i] + leverage_.of(block.begin + i, w), left = 1.0 - h;
      const double we = w * block.combined[i];
      factor[i] = 0.0;
      if (left <= live_margin) {
        ++fitted_;
        continue;
      }
      factor[i] = we * we;
      if (power_ > 0.0) factor[i] /= power_ == 1.0 ? left : left * left;
      if (power_ < 0.0) factor[i] /= std::pow(left, std::min(4.0, h / mean_leverage_));
    }
  }

  const Eigen::MatrixXd* upper_;
  EffectLeverage leverage_;
  double power_, mean_leverage_, quick_;
  Numbers products_, sums_;
  std::size_t fitted_ = 0;
};

// The rows themselves in orthonormal coordinates, times the root of their weight, one column after
// another, and behind them their residuals.
class CoordinateSink {
 public:
  CoordinateSink(const Eigen::MatrixXd& upper, double* out, std::size_t n) : upper_(&upper), out_(out), n_(n) {}

  std::vector<std::size_t> cuts(std::size_t n) const { return even_cuts(n, piece_rows); }
  CoordinateSink part() const { return *this; }
  void add(Block& block) {
    const std::size_t width = static_cast<std::size_t>(upper_->cols());
    to_orthonormal(*upper_, block.values, block.count);
    for (std::size_t c = 0; c <= width; ++c) {
      const double* const from = c < width ? block.column(c) : block.combined;
      double* const to = out_ + c * n_ + block.begin;
      for (std::size_t i = 0; i < block.count; ++i) to[i] = block.weights ? std::sqrt(block.weights[i]) * from[i] : from[i];
    }
  }
  void merge(const CoordinateSink&) {}
  void finish() {}

 private:
  const Eigen::MatrixXd* upper_;
  double* out_;
  std::size_t n_;
};

}  // namespace wavetax
