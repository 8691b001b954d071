// What is summed up of the rows of a regression on one walk over them; see visit.hpp.
#pragma once

#include <Eigen/Core>
#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <memory>
#include <utility>
#include <vector>

#include "ar1.hpp"
#include "effect-sets.hpp"
#include "groups.hpp"
#include "parallel.hpp"
#include "triangle.hpp"
#include "visit.hpp"

namespace wavetax {

// A table with `size` numbers for each group. Where rows are sorted by group they are cut between
// groups and all pieces share one table; otherwise each of two or four lanes has its own.
class GroupTable {
 public:
  GroupTable(const Groups& groups, std::size_t size, std::size_t further = 0)
      : groups_(groups), size_(size), further_(further), shares_(groups.sorted && further == 0) {
    if (shares_) make();
  }

  std::vector<std::size_t> cuts(std::size_t n) const {
    if (shares_) return group_cuts(groups_, n, piece_rows);
    std::vector<std::size_t> out;
    const std::size_t count = n < 50000 ? 1 : groups_.count * size_ <= (std::size_t{1} << 20) ? 4 : 2;
    for (std::size_t lane = 0; lane <= count; ++lane) out.push_back(n * lane / count);
    return out;
  }

  // The same for one piece of the rows.
  GroupTable part() const {
    GroupTable out = *this;
    if (!shares_) out.make();
    return out;
  }

  // Where the numbers of a row's group begin, for the rows of a block.
  template <class Use>
  void with_rows(const Block& block, Use&& use) {
    double* const table = values_->data();
    if (!groups_.sorted && groups_.count * size_ > block_rows * block_rows)
      for (std::size_t i = 0; i < block.count; ++i) __builtin_prefetch(table + groups_.of(block.begin + i) * size_, 1);
    const int* const code = groups_.codes + block.begin;
    const std::size_t size = size_;
    use([=](std::size_t i) { return table + (static_cast<std::size_t>(code[i]) - 1) * size; });
  }
  bool sorted() const { return groups_.sorted; }
  const int* codes() const { return groups_.codes; }
  double* further() { return values_->data() + groups_.count * size_; }

  void merge(const GroupTable& other) {
    if (values_ == other.values_) return;
    if (!values_) {
      values_ = other.values_;
      return;
    }
    for (std::size_t i = 0; i < values_->size(); ++i) (*values_)[i] += (*other.values_)[i];
  }

  // One group after another, and behind them what is of no group.
  Numbers& values() {
    if (!values_) make();
    return *values_;
  }

 private:
  void make() {
    values_ = std::make_shared<Numbers>();
    allocate(*values_, groups_.count * size_ + further_);
  }

  Groups groups_;
  std::size_t size_, further_;
  bool shares_;
  std::shared_ptr<Numbers> values_;
};

// The triangular factor of the swept rows.
class TriangleSink {
 public:
  explicit TriangleSink(std::size_t width) : triangle(width) {}

  std::vector<std::size_t> cuts(std::size_t n) const { return even_cuts(n, piece_rows); }
  TriangleSink part() const { return TriangleSink(triangle.width()); }
  void add(Block& block) {
    if (triangle.width() < wide) return triangle.absorb(block.values, block.count);
    stack_.add(block.values, block.count, triangle);
  }
  void merge(const TriangleSink& other) { triangle.merge(other.triangle); }
  void finish() { stack_.end(triangle); }

  Triangle triangle;

 private:
  WideStack stack_;
};

// The combination of each row, written where the caller wants it: residuals, fitted values.
class CombinationSink {
 public:
  explicit CombinationSink(double* out) : out_(out) {}

  std::vector<std::size_t> cuts(std::size_t n) const { return even_cuts(n, piece_rows); }
  CombinationSink part() const { return *this; }
  void add(Block& block) { std::copy_n(block.combined, block.count, out_ + block.begin); }
  void merge(const CombinationSink&) {}
  void finish() {}

 private:
  double* out_;
};

// What the combination, times the root of the weights, shows of AR(1) in rows that stand by entity and clock, see
// Ar1Moments: no row of it is kept.
class Ar1MomentSink {
 public:
  Ar1MomentSink(const Groups& entities, const int* clock, int lag, Ar1Moments& out)
      : entities_(&entities), clock_(clock), lag_(lag), out_(&out) {
    out.products.assign(entities.count, 0.0);
    out.squares.assign(entities.count, 0.0);
  }

  std::vector<std::size_t> cuts(std::size_t n) const { return group_cuts(*entities_, n, 4 * piece_rows); }
  Ar1MomentSink part() const {
    Ar1MomentSink out = *this;
    out.before_ = out.pairs_ = 0.0;
    out.values_.clear();
    out.ticks_.clear();
    out.own_ = 0;
    return out;
  }
  void add(Block& block) {
    const int* const code = entities_->codes + block.begin;
    for (std::size_t i = 0; i < block.count; ++i) {
      if (code[i] != own_) {
        close();
        own_ = code[i];
      }
      const double w = block.weight(i);
      values_.push_back(w == 1.0 ? block.combined[i] : block.combined[i] * std::sqrt(w));
      ticks_.push_back(clock_[block.begin + i]);
    }
  }
  void merge(const Ar1MomentSink& other) {
    out_->before += other.before_;
    out_->pairs += other.pairs_;
  }
  void finish() { close(); }

 private:
  const Groups* entities_;
  const int* clock_;
  int lag_, own_ = 0;
  Ar1Moments* out_;
  std::vector<double> values_;  // of the entity that is read
  std::vector<int> ticks_;
  double before_ = 0.0, pairs_ = 0.0;

  void close() {
    if (values_.empty()) return;
    const std::size_t at = static_cast<std::size_t>(own_ - 1);
    add_moments(values_.data(), ticks_.data(), values_.size(), lag_, out_->products[at], out_->squares[at], before_, pairs_);
    values_.clear();
    ticks_.clear();
  }
};

// Sums by level of several terms of w load z, z the swept columns: unknowns x width; and behind them by
// column the sum of w z^2.
class LevelSumSink {
 public:
  LevelSumSink(const std::vector<Term>& terms, std::size_t unknowns, std::size_t width)
      : terms_(terms), size_(unknowns * width), width_(width) {}

  // How many tables are worth their memory.
  std::size_t parts() const { return size_ <= (std::size_t{1} << 20) ? 4 : 2; }
  std::vector<std::size_t> cuts(std::size_t n) const {
    return even_cuts(n, std::max(piece_rows, (n + parts() - 1) / parts()));
  }
  LevelSumSink part() const {
    LevelSumSink out = *this;
    allocate(out.values_, size_ + width_);
    return out;
  }
  void add(Block& block) {
    std::array<std::size_t, block_rows> at;
    std::array<double, block_rows> factor;
    for (std::size_t c = 0; c < width_; ++c) values_[size_ + c] += squares(block, block.column(c));
    for (const Term& term : terms_) {
      const bool plain = !term.loading && !block.weights;
      for (std::size_t i = 0; i < block.count; ++i) at[i] = term.unknown(block.begin + i) * width_;
      if (size_ > block_rows * block_rows)
        for (std::size_t i = 0; i < block.count; ++i) __builtin_prefetch(&values_[at[i]], 1);
      if (!plain)
        for (std::size_t i = 0; i < block.count; ++i) factor[i] = block.weight(i) * term.load(block.begin + i);
      for (std::size_t c = 0; c < width_; ++c) {
        const double* const z = block.column(c);
        double* const to = values_.data() + c;
        if (plain) {
          for (std::size_t i = 0; i < block.count; ++i) to[at[i]] += z[i];
        } else {
          for (std::size_t i = 0; i < block.count; ++i) to[at[i]] += factor[i] * z[i];
        }
      }
    }
  }
  void merge(const LevelSumSink& other) {
    if (values_.empty()) allocate(values_, size_ + width_);
    for (std::size_t i = 0; i < values_.size(); ++i) values_[i] += other.values_[i];
  }
  void finish() {
    if (values_.empty()) allocate(values_, size_ + width_);
  }

  const Numbers& values() const { return values_; }

 private:
  static double squares(const Block& block, const double* z) {
    double sum = 0.0;
    if (!block.weights) dot_products<1>(z, z, block_rows, block.count, &sum);
    if (block.weights)
      for (std::size_t i = 0; i < block.count; ++i) sum += block.weights[i] * z[i] * z[i];
    return sum;
  }

  std::vector<Term> terms_;
  std::size_t size_, width_;
  Numbers values_;
};

// For f the combination and y the last column: sums of w f, w y and w by group, one group after
// another, and behind them the sums of w f f, w f y and w y y.
class MomentSink {
 public:
  explicit MomentSink(const Groups& groups) : table_(groups, 3, 3) {}

  std::vector<std::size_t> cuts(std::size_t n) const { return table_.cuts(n); }
  MomentSink part() const {
    MomentSink out = *this;
    out.table_ = table_.part();
    return out;
  }
  void add(Block& block) {
    const double *f = block.combined, *y = block.column(block.width - 1);
    double* all = table_.further();
    table_.with_rows(block, [&](auto of_row) {
      for (std::size_t i = 0; i < block.count; ++i) {
        const double w = block.weight(i);
        double* sum = of_row(i);
        sum[0] += w * f[i];
        sum[1] += w * y[i];
        sum[2] += w;
        all[0] += w * f[i] * f[i];
        all[1] += w * f[i] * y[i];
        all[2] += w * y[i] * y[i];
      }
    });
  }
  void merge(const MomentSink& other) { table_.merge(other.table_); }
  void finish() {}

  const Numbers& sums() { return table_.values(); }

 private:
  GroupTable table_;
};

// The swept columns themselves, one after another.
class ColumnSink {
 public:
  ColumnSink(double* out, std::size_t n) : out_(out), n_(n) {}

  std::vector<std::size_t> cuts(std::size_t n) const { return even_cuts(n, piece_rows); }
  ColumnSink part() const { return *this; }
  void add(Block& block) {
    for (std::size_t c = 0; c < block.width; ++c)
      std::copy_n(block.column(c), block.count, out_ + c * n_ + block.begin);
  }
  void merge(const ColumnSink&) {}
  void finish() {}

 private:
  double* out_;
  std::size_t n_;
};

inline Triangle accumulate_triangle(const Rows& rows, const Sweep& sweep, int threads) {
  View view;
  view.rows = &rows;
  view.sweep = &sweep;
  return visit(view, TriangleSink(rows.width()), threads).triangle;
}

}  // namespace wavetax
