// What covariances of coefficients sum up on one walk over the rows of a regression; see visit.hpp. All of it is in the
// orthonormal coordinates of the regression, u = R^-T x for its upper factor R: no digits are lost to
// columns far from zero or close to each other. A block's combination is the residual e.
#pragma once

#include <Eigen/Core>
#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <optional>
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

// The same along some directions alone, orthonormal columns.
inline void squared_lengths(const Block& block, const Eigen::MatrixXd& along, double* out) {
  std::array<double, block_rows> one;
  std::fill_n(out, block_rows, 0.0);
  for (Eigen::Index c = 0; c < along.cols(); ++c) {
    one.fill(0.0);
    take_all(block.values, block_rows, along.col(c).data(), static_cast<std::size_t>(along.rows()), 1.0, block.count,
             one.data());
    for (std::size_t i = 0; i < block.count; ++i) out[i] += one[i] * one[i];
  }
  if (block.weights)
    for (std::size_t i = 0; i < block.count; ++i) out[i] *= block.weights[i];
}

// use(at, stop) for each run of rows of one group in a block.
template <class Use>
inline void for_each_run(const Block& block, const int* codes, Use&& use) {
  const int* const code = codes + block.begin;
  for (std::size_t at = 0; at < block.count;) {
    std::size_t stop = at + 1;
    while (stop < block.count && code[stop] == code[at]) ++stop;
    use(at, stop);
    at = stop;
  }
}

// Sums of one column, or of the product of two, over rows [at, stop).
inline double run_sum(const double* a, std::size_t at, std::size_t stop) {
  Pair sum = {};
  std::size_t i = at;
  for (; i + 2 <= stop; i += 2) sum += load_pair(a + i);
  return sum[0] + sum[1] + (i < stop ? a[i] : 0.0);
}
inline double run_product(const double* a, const double* b, std::size_t at, std::size_t stop) {
  Pair sum = {};
  std::size_t i = at;
  for (; i + 2 <= stop; i += 2) sum += load_pair(a + i) * load_pair(b + i);
  return sum[0] + sum[1] + (i < stop ? a[i] * b[i] : 0.0);
}

// How many rows of a block have a residual of that size or less: those that the regression fits whatever their outcome
// are among them.
inline std::size_t idle_rows(const Block& block, double most) {
  std::size_t count = 0;
  for (std::size_t i = 0; i < block.count; ++i) count += std::fabs(block.combined[i]) <= most;
  return count;
}

// s in place of R^-T s.
inline void lower_solve(const Eigen::MatrixXd& upper, double* s) {
  const Eigen::Index width = upper.cols();
  for (Eigen::Index c = 0; c < width; ++c) {
    for (Eigen::Index a = 0; a < c; ++a) s[c] -= upper(a, c) * s[a];
    s[c] /= upper(c, c);
  }
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

// Into a table by group the sums of `rows` columns, from `first` on, times each of `count` vectors, `block_rows` apart:
// the columns with the first vector, then with the next.
inline void add_products(GroupTable& table, const Block& block, std::size_t first, std::size_t rows, const double* v,
                         std::size_t count) {
  table.with_rows(block, [&](auto of_row) {
    if (table.sorted()) {
      for_each_run(block, table.codes(), [&](std::size_t at, std::size_t stop) {
        double* sum = of_row(at);
        for (std::size_t c = 0; c < count; ++c)
          for (std::size_t r = 0; r < rows; ++r)
            *sum++ += run_product(block.column(first + r), v + c * block_rows, at, stop);
      });
      return;
    }
    std::array<double*, block_rows> to;
    for (std::size_t i = 0; i < block.count; ++i) to[i] = of_row(i);
    for (std::size_t c = 0; c < count; ++c)
      for (std::size_t r = 0; r < rows; ++r) {
        const double *const z = block.column(first + r), *const one = v + c * block_rows;
        for (std::size_t i = 0; i < block.count; ++i) to[i][c * rows + r] += z[i] * one[i];
      }
  });
}

// s_g = sum of w u e over the rows of cluster g. By period these are the sums that spatial and serial
// covariances start from. Products are summed of the swept columns as they are, and each cluster's sum is taken to
// orthonormal coordinates at the end.
class ScoreSink {
 public:
  ScoreSink(const Groups& clusters, const Eigen::MatrixXd& upper, double quick = -1.0)
      : width_(static_cast<std::size_t>(upper.cols())), table_(clusters, width_), upper_(upper), quick_(quick) {}

  std::vector<std::size_t> cuts(std::size_t n) const { return table_.cuts(n); }
  ScoreSink part() const {
    ScoreSink out = *this;
    out.table_ = table_.part();
    out.idle_ = 0;
    return out;
  }
  void add(Block& block) {
    idle_ += idle_rows(block, quick_);
    if (block.weights)
      for (std::size_t i = 0; i < block.count; ++i) block.combined[i] *= block.weights[i];
    add_products(table_, block, 0, width_, block.combined, 1);
  }
  void merge(const ScoreSink& other) {
    table_.merge(other.table_);
    idle_ += other.idle_;
  }
  void finish() {}

  // Clusters x width, one cluster after another.
  const Numbers& scores() {
    Numbers& sums = table_.values();
    for (std::size_t g = 0; !done_ && g * width_ < sums.size(); ++g) lower_solve(upper_, &sums[g * width_]);
    done_ = true;
    return sums;
  }
  std::size_t idle() const { return idle_; }

 private:
  bool done_ = false;  // whether the sums are in orthonormal coordinates
  std::size_t width_;
  GroupTable table_;
  Eigen::MatrixXd upper_;
  double quick_;
  std::size_t idle_ = 0;
};

// By cluster the sums of w z c over its rows, of some coordinates z, those from `first` on, and combinations c of [z, e],
// columns of `of`: what scores are at several coefficients. z are the coordinates past the first `skip`.
class CombinedScoreSink {
 public:
  CombinedScoreSink(const Groups& clusters, const Eigen::MatrixXd& upper, std::size_t skip, const Eigen::MatrixXd& of,
                    std::size_t first, std::size_t rows, double quick)
      : table_(clusters, rows * static_cast<std::size_t>(of.cols())), upper_(&upper), skip_(skip), of_(&of),
        taken_(-of.topRows(of.rows() - 1)), first_(skip + first), rows_(rows), quick_(quick) {}

  std::vector<std::size_t> cuts(std::size_t n) const { return table_.cuts(n); }
  CombinedScoreSink part() const {
    CombinedScoreSink out = *this;
    out.table_ = table_.part();
    out.idle_ = 0;
    return out;
  }
  void add(Block& block) {
    idle_ += idle_rows(block, quick_);
    to_orthonormal(*upper_, block.values, block.count);
    const std::size_t count = static_cast<std::size_t>(of_->cols());
    combined_.resize(count * block_rows);
    for (std::size_t c = 0; c < count; ++c) combine(block, c, combined_.data() + c * block_rows);
    add_products(table_, block, first_, rows_, combined_.data(), count);
  }
  void merge(const CombinedScoreSink& other) {
    table_.merge(other.table_);
    idle_ += other.idle_;
  }
  void finish() {}

  // By cluster, the coordinates of the first combination, then of the next.
  const Numbers& scores() { return table_.values(); }
  std::size_t idle() const { return idle_; }

 private:
  void combine(const Block& block, std::size_t c, double* out) const {
    const Eigen::Index column = static_cast<Eigen::Index>(c);
    const double share = (*of_)(of_->rows() - 1, column);
    for (std::size_t i = 0; i < block.count; ++i) out[i] = share * block.combined[i];
    take_all(block.column(skip_), block_rows, taken_.col(column).data(), static_cast<std::size_t>(taken_.rows()), 1.0,
             block.count, out);
    if (block.weights)
      for (std::size_t i = 0; i < block.count; ++i) out[i] *= block.weights[i];
  }

  GroupTable table_;
  const Eigen::MatrixXd* upper_;
  std::size_t skip_;
  const Eigen::MatrixXd* of_;
  Eigen::MatrixXd taken_;
  std::size_t first_, rows_;
  double quick_;
  std::size_t idle_ = 0;
  Numbers combined_;
};

// What is summed by cluster, made once for a block of rows however many groupings there are: a column each,
// `block_rows` apart, of
//   w e x                  for each column x: the scores, before they are taken to orthonormal coordinates
//   w |M| sum of x^2 / d^2   a bound on the row's part w |u|^2 of the regressors' variation, the first `skip` left out: M
//                          the inverse of their correlations, d their lengths; close where they are unrelated
//   w (u'b)^2              for each contrast b: its part in what tells the contrast
class ClusterTerms {
 public:
  ClusterTerms(const Eigen::MatrixXd& upper, std::size_t skip, const Eigen::MatrixXd& contrasts)
      : upper_(upper), width_(static_cast<std::size_t>(upper.cols())), skip_(skip),
        contrasts_(-upper.triangularView<Eigen::Upper>().solve(contrasts)) {
    const Eigen::Index rest = static_cast<Eigen::Index>(width_ - skip_);
    const Eigen::MatrixXd r = upper.bottomRightCorner(rest, rest);
    scale_ = r.colwise().squaredNorm().transpose().cwiseInverse();
    if (rest > 1) {
      const Eigen::MatrixXd inverse = (r * scale_.cwiseSqrt().asDiagonal())
                                          .triangularView<Eigen::Upper>()
                                          .solve(Eigen::MatrixXd::Identity(rest, rest));
      const Eigen::MatrixXd m = inverse * inverse.transpose();
      scale_ *= m.selfadjointView<Eigen::Lower>().eigenvalues().maxCoeff();
    }
  }

  const Eigen::MatrixXd& upper() const { return upper_; }
  std::size_t width() const { return width_; }
  std::size_t few() const { return width_ + 1; }
  std::size_t all() const { return width_ + 1 + static_cast<std::size_t>(contrasts_.cols()); }

  void make(const Block& block, bool with_contrasts, double* out) const {
    std::array<double, block_rows> e;
    std::copy_n(block.combined, block.count, e.begin());
    if (block.weights) weigh(block, e.data());
    for (std::size_t c = 0; c < width_; ++c) multiply(block.column(c), e.data(), block.count, out + c * block_rows);
    double* const length = out + width_ * block_rows;
    std::fill_n(length, block.count, 0.0);
    for (std::size_t c = skip_; c < width_; ++c)
      add_square(block.column(c), scale_(static_cast<Eigen::Index>(c - skip_)), block.count, length);
    if (block.weights) weigh(block, length);
    for (Eigen::Index b = 0; with_contrasts && b < contrasts_.cols(); ++b) {
      double* const one = out + (few() + static_cast<std::size_t>(b)) * block_rows;
      std::fill_n(e.begin(), block.count, 0.0);
      take_all(block.values, block_rows, contrasts_.col(b).data(), width_, 1.0, block.count, e.data());
      multiply(e.data(), e.data(), block.count, one);
      if (block.weights) weigh(block, one);
    }
  }

 private:
  static void weigh(const Block& block, double* out) {
    for (std::size_t i = 0; i < block.count; ++i) out[i] *= block.weights[i];
  }
  static void multiply(const double* a, const double* b, std::size_t count, double* out) {
    std::size_t i = 0;
    for (; i + 2 <= count; i += 2) store_pair(out + i, load_pair(a + i) * load_pair(b + i));
    if (i < count) out[i] = a[i] * b[i];
  }
  static void add_square(const double* a, double times, std::size_t count, double* out) {
    std::size_t i = 0;
    for (; i + 2 <= count; i += 2) {
      const Pair pair = load_pair(a + i);
      store_pair(out + i, load_pair(out + i) + times * (pair * pair));
    }
    if (i < count) out[i] += times * a[i] * a[i];
  }

  Eigen::MatrixXd upper_;
  std::size_t width_, skip_;
  Eigen::MatrixXd contrasts_;  // taken to the columns as they are; negative, since they are taken away
  Eigen::VectorXd scale_;
};

// The terms of one grouping summed by cluster: the sum of s_g s_g', the largest bound of a cluster, and where a table of
// the clusters is kept the contrasts' parts. A grouping that `streams` has its rows sorted, none of its clusters is cut
// by a piece, and no table is kept: clusters are done some at a time.
class ClusterSums {
 public:
  ClusterSums(const Groups& clusters, const ClusterTerms& terms, bool streams, bool contrasts)
      : by_(clusters), terms_(&terms), streams_(streams), contrasts_(contrasts && !streams),
        size_(contrasts_ ? terms.all() : terms.few()),
        products_(terms.width() * terms.width(), 0.0), sums_(terms.width()) {}

  ClusterSums part() const { return ClusterSums(by_, *terms_, streams_, contrasts_); }

  void add(const Block& block, const double* terms) {
    if (values_.empty()) allocate(values_, streams_ ? size_ * block_rows : by_.count * size_);
    if (by_.sorted) {
      for_each_run(block, by_.codes, [&](std::size_t at, std::size_t stop) {
        const int code = by_.codes[block.begin + at];
        double* const to = streams_ ? open(code) : &values_[(static_cast<std::size_t>(code) - 1) * size_];
        const std::size_t apart = streams_ ? block_rows : 1;
        for (std::size_t c = 0; c < size_; ++c) to[c * apart] += run_sum(terms + c * block_rows, at, stop);
      });
      return;
    }
    std::array<std::size_t, block_rows> place;
    for (std::size_t i = 0; i < block.count; ++i) place[i] = by_.of(block.begin + i) * size_;
    if (by_.count * size_ > block_rows * block_rows)
      for (std::size_t i = 0; i < block.count; ++i) __builtin_prefetch(&values_[place[i]], 1);
    for (std::size_t c = 0; c < size_; ++c) {
      const double* const from = terms + c * block_rows;
      double* const to = values_.data() + c;
      for (std::size_t i = 0; i < block.count; ++i) to[place[i]] += from[i];
    }
  }

  void merge(const ClusterSums& other) {
    longest_ = std::max(longest_, other.longest_);
    for (std::size_t i = 0; i < products_.size(); ++i) products_[i] += other.products_[i];
    if (streams_) return;
    if (values_.empty()) values_ = other.values_;
    else
      for (std::size_t i = 0; i < other.values_.size(); ++i) values_[i] += other.values_[i];
  }

  // After a piece.
  void end_piece() {
    if (streams_) close();
  }
  // After all of them.
  void end() {
    if (streams_) return;
    if (values_.empty()) allocate(values_, by_.count * size_);
    Numbers block(size_ * block_rows);
    for (std::size_t g = 0; g < by_.count; g += block_rows) {
      const std::size_t count = std::min(block_rows, by_.count - g);
      for (std::size_t c = 0; c < size_; ++c)
        for (std::size_t i = 0; i < count; ++i) block[c * block_rows + i] = values_[(g + i) * size_ + c];
      finish(block.data(), count);
    }
  }

  Eigen::MatrixXd products() const {
    const Eigen::Index width = static_cast<Eigen::Index>(terms_->width());
    return Eigen::Map<const Eigen::MatrixXd>(products_.data(), width, width).selfadjointView<Eigen::Upper>();
  }
  double longest() const { return longest_; }
  bool has_contrasts() const { return contrasts_; }
  // By cluster, `size` numbers each, the contrasts' parts last.
  const Numbers& values() const { return values_; }
  std::size_t size() const { return size_; }

 private:
  // The numbers of the cluster that rows now belong to.
  double* open(int code) {
    if (code != code_ || used_ == 0) {
      if (used_ == block_rows) close();
      for (std::size_t c = 0; c < size_; ++c) values_[c * block_rows + used_] = 0.0;
      ++used_;
      code_ = code;
    }
    return &values_[used_ - 1];
  }
  void close() {
    finish(values_.data(), used_);
    used_ = 0;
  }

  // Clusters' sums, a column each, into what is summed over clusters.
  void finish(double* block, std::size_t count) {
    const std::size_t width = terms_->width();
    if (count == 0) return;
    const double* const length = block + width * block_rows;
    longest_ = std::max(longest_, *std::max_element(length, length + count));
    to_orthonormal(terms_->upper(), block, count);
    Block rows;
    rows.count = count;
    rows.values = block;
    for (std::size_t b = 0; b < width; ++b) {
      products_with(rows, rows.column(b), b + 1, sums_.data());
      for (std::size_t a = 0; a <= b; ++a) products_[b * width + a] += sums_[a];
    }
  }

  Groups by_;
  const ClusterTerms* terms_;
  bool streams_, contrasts_;
  std::size_t size_;
  Numbers products_, sums_, values_;
  double longest_ = 0.0;
  std::size_t used_ = 0;
  int code_ = 0;
};

// How the effects' part of a row's leverage is known.
struct EffectLeverage {
  const double* by_row = nullptr;   // for each row
  const int* codes = nullptr;       // or by group: w times the inverse of the group's weight
  const double* inverse = nullptr;
  std::size_t skip = 0;             // coordinates that the effects hold: those of a constant set aside
  const Eigen::MatrixXd* along = nullptr;  // directions that regressors have among the coordinates, where not all

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
      for (std::size_t i = 0; i < block.count; ++i) factor[i] = block.combined[i] * block.combined[i];
      const double most = quick_ * quick_;
      for (std::size_t i = 0; i < block.count; ++i) fitted_ += factor[i] <= most;
      if (block.weights)
        for (std::size_t i = 0; i < block.count; ++i) factor[i] *= block.weights[i] * block.weights[i];
    } else {
      if (leverage_.along) squared_lengths(block, *leverage_.along, factor.data());
      else squared_lengths(block, width, leverage_.skip, factor.data());
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

// Several groupings into clusters, and perhaps the rows themselves as clusters, on one walk. Contrasts' parts are kept
// of those whose tables are small enough for each piece of the rows to have one, or of all. No piece cuts clusters of
// the first sorted grouping without.
class ErrorSink {
 public:
  static constexpr std::size_t small_table = 16384;

  ErrorSink(const std::vector<Groups>& clusters, const ClusterTerms& terms, bool all_contrasts = false,
            const RobustSink* rows = nullptr, double quick = -1.0)
      : terms_(&terms), quick_(quick) {
    for (const Groups& one : clusters) {
      if (one.count * terms.all() <= small_table) continue;
      if (one.sorted && !lead_ && !all_contrasts) lead_ = &one;
      else lanes_ = true;
    }
    if (lanes_) lead_ = nullptr;
    for (const Groups& one : clusters)
      sums_.emplace_back(one, terms, &one == lead_, all_contrasts || one.count * terms.all() <= small_table);
    if (rows) rows_.emplace(*rows);
  }

  std::vector<std::size_t> cuts(std::size_t n) const {
    if (lead_) return group_cuts(*lead_, n, 4 * piece_rows);
    if (!lanes_) return even_cuts(n, 4 * piece_rows);
    return even_cuts(n, std::max<std::size_t>(n < 50000 ? n : (n + 1) / 2, 1));
  }
  ErrorSink part() const {
    ErrorSink out(*terms_, quick_);
    for (const ClusterSums& one : sums_) out.sums_.push_back(one.part());
    if (rows_) out.rows_.emplace(rows_->part());
    return out;
  }
  void add(Block& block) {
    const bool contrasts = std::any_of(sums_.begin(), sums_.end(), [](const ClusterSums& one) { return one.has_contrasts(); });
    made_.resize(terms_->all() * block_rows);
    idle_ += idle_rows(block, quick_);
    if (!sums_.empty()) terms_->make(block, contrasts, made_.data());
    for (ClusterSums& one : sums_) one.add(block, made_.data());
    if (rows_) rows_->add(block);  // spoils the values
  }
  void merge(const ErrorSink& other) {
    for (std::size_t s = 0; s < sums_.size(); ++s) sums_[s].merge(other.sums_[s]);
    idle_ += other.idle_;
    if (rows_) rows_->merge(*other.rows_);
  }
  void finish() {
    for (ClusterSums& one : sums_) one.end_piece();
  }
  void end() {
    for (ClusterSums& one : sums_) one.end();
  }

  const ClusterSums& sums(std::size_t s) const { return sums_[s]; }
  const RobustSink& rows() const { return *rows_; }
  std::size_t idle() const { return idle_; }

 private:
  ErrorSink(const ClusterTerms& terms, double quick) : terms_(&terms), quick_(quick) {}
  const ClusterTerms* terms_;
  double quick_;
  std::size_t idle_ = 0;
  const Groups* lead_ = nullptr;
  bool lanes_ = false;
  std::vector<ClusterSums> sums_;
  std::optional<RobustSink> rows_;
  Numbers made_;
};

// The rows themselves in orthonormal coordinates, the first `skip` left out, times the root of their weight, one column
// after another, and their residuals likewise.
class CoordinateSink {
 public:
  CoordinateSink(const Eigen::MatrixXd& upper, std::size_t skip, double* z, double* e, std::size_t n)
      : upper_(&upper), skip_(skip), z_(z), e_(e), n_(n) {}

  std::vector<std::size_t> cuts(std::size_t n) const { return even_cuts(n, piece_rows); }
  CoordinateSink part() const { return *this; }
  void add(Block& block) {
    const std::size_t width = static_cast<std::size_t>(upper_->cols());
    to_orthonormal(*upper_, block.values, block.count);
    for (std::size_t c = skip_; c < width; ++c) write(block, block.column(c), z_ + (c - skip_) * n_);
    write(block, block.combined, e_);
  }
  void merge(const CoordinateSink&) {}
  void finish() {}

 private:
  static void write(const Block& block, const double* from, double* out) {
    double* const to = out + block.begin;
    if (!block.weights) {
      std::copy_n(from, block.count, to);
      return;
    }
    for (std::size_t i = 0; i < block.count; ++i) to[i] = std::sqrt(block.weights[i]) * from[i];
  }

  const Eigen::MatrixXd* upper_;
  std::size_t skip_;
  double *z_, *e_;
  std::size_t n_;
};

}  // namespace wavetax
