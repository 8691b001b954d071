// Serial correlation of residuals e = M u of any projection M, corrected for what M itself makes of unrelated
// disturbances. Rows stand by entity, and by clock within one. M = M_o - ZZ' with M_o the annihilator of effects nested
// in entities, block by block, and Z an orthonormal basis (n x r) of all else.
//
// Of an entity: B has 1/2 at rows `lag` ticks apart, C = B - diag(delta + c) with (M o M) delta = diag(MBM), so that
// e'Ce has the mean 0 whatever the variance of each row ("rows"; "entities": delta = 0), and c so that it is exact
// under one variance: c = (tr BM - sum delta m) / tr M.
#pragma once

#include <Eigen/Cholesky>
#include <Eigen/Core>
#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdlib>
#include <vector>

#include "groups.hpp"
#include "parallel.hpp"

namespace wavetax {

// Effects within entities: levels of `codes` times each loading (null: ones).
struct NestedSet {
  const int* codes = nullptr;
  std::vector<const double*> loadings;
};

struct SerialRows {
  std::size_t n = 0;
  const double* e = nullptr;
  const int* clock = nullptr;
  const double* root = nullptr;    // of the weights; null: ones
  const double* z = nullptr;       // n x r
  std::size_t r = 0;
  std::vector<std::size_t> start;  // the first row of each entity, and n
  std::vector<NestedSet> nested;
  // Where Z is too wide: what is left of M_o's diagonal and of tr BM_o after it, as estimated.
  const double* less_diagonal = nullptr;  // n
  const double* less_pairs = nullptr;     // entities x lags
};

constexpr double least_told = 0.01;
constexpr double least_form = 1e-9;
constexpr std::size_t most_apart = 400;

// Of each lag, first under variances by row, then by entity.
struct SerialForm {
  std::vector<double> diagonal, statistic;  // n, entities
  std::vector<char> told;                   // entities
  double own = 0.0, others = 0.0;           // sum of tr (M C)^2 over blocks, and of tr (ZZ'C)^2
};

struct SerialForms {
  std::vector<SerialForm> forms;   // 2 a lag
  std::vector<double> pair_apart, all_apart;  // of MBM and MM by ticks apart, at lag 1
  double pair_sum = 0.0, all_sum = 0.0;       // e'Be and e'e
};

namespace serial {

using Matrix = Eigen::MatrixXd;
using Vector = Eigen::VectorXd;

struct Pairs {
  std::vector<Eigen::Index> now, before;
};

inline Pairs pairs_apart(const int* clock, Eigen::Index size, long long lag) {
  Pairs out;
  for (Eigen::Index t = 0, s = 0; t < size; ++t) {
    while (s < t && static_cast<long long>(clock[t]) - clock[s] > lag) ++s;
    if (s < t && static_cast<long long>(clock[t]) - clock[s] == lag) {
      out.now.push_back(t);
      out.before.push_back(s);
    }
  }
  return out;
}

// An orthonormal basis Q of the entity's own effects.
inline Matrix own_basis(const SerialRows& rows, std::size_t first, Eigen::Index size) {
  Matrix basis(size, size);
  Eigen::Index found = 0;
  for (const NestedSet& set : rows.nested) {
    std::vector<int> codes(set.codes + first, set.codes + first + size);
    std::sort(codes.begin(), codes.end());
    codes.erase(std::unique(codes.begin(), codes.end()), codes.end());
    for (const int code : codes)
      for (const double* const loading : set.loadings) {
        Vector column(size);
        for (Eigen::Index t = 0; t < size; ++t) {
          const std::size_t row = first + static_cast<std::size_t>(t);
          column(t) = set.codes[row] != code ? 0.0 : (loading ? loading[row] : 1.0) * (rows.root ? rows.root[row] : 1.0);
        }
        const double before = column.norm();
        if (before == 0.0 || found == size) continue;
        column /= before;
        for (int again = 0; again < 2; ++again)
          column -= basis.leftCols(found) * (basis.leftCols(found).transpose() * column);
        const double left = column.norm();
        if (left <= 1e-9) continue;
        basis.col(found++) = column / left;
      }
  }
  return basis.leftCols(found);
}

inline Matrix own_annihilator(const SerialRows& rows, std::size_t first, Eigen::Index size) {
  const Matrix basis = own_basis(rows, first, size);
  return Matrix::Identity(size, size) - basis * basis.transpose();
}

inline Matrix paired_columns(const Matrix& m, const Pairs& pairs) {
  Matrix out = Matrix::Zero(m.rows(), m.cols());
  for (std::size_t p = 0; p < pairs.now.size(); ++p) {
    out.col(pairs.now[p]) += 0.5 * m.col(pairs.before[p]);
    out.col(pairs.before[p]) += 0.5 * m.col(pairs.now[p]);
  }
  return out;
}

inline double trace_of_square(const Matrix& m) { return m.cwiseProduct(m.transpose()).sum(); }

// Whether M o M lets the variances of rows be told apart.
inline bool tells_rows(const Matrix& m) {
  Matrix squares = m.cwiseProduct(m);
  squares.diagonal().array() -= least_told;
  return squares.llt().info() == Eigen::Success;
}

// What the autocorrelation from one tick to the next is told by: MBM and MM by ticks apart, and e'Be and e'e.
template <class Residuals>
void add_apart(const Matrix& m, const Residuals& e, const int* clock, std::vector<double>& pair_apart,
               std::vector<double>& all_apart, double& pair_sum, double& all_sum) {
  const Eigen::Index size = m.rows();
  const Pairs pairs = pairs_apart(clock, size, 1);
  if (pairs.now.empty()) return;
  const Matrix left = paired_columns(m, pairs) * m, both = m * m;
  for (Eigen::Index t = 0; t < size; ++t)
    for (Eigen::Index s = 0; s < size; ++s) {
      const long long apart = std::llabs(static_cast<long long>(clock[t]) - clock[s]);
      if (apart > static_cast<long long>(most_apart)) continue;
      pair_apart[static_cast<std::size_t>(apart)] += left(s, t);
      all_apart[static_cast<std::size_t>(apart)] += both(s, t);
    }
  for (std::size_t p = 0; p < pairs.now.size(); ++p) pair_sum += e(pairs.now[p]) * e(pairs.before[p]);
  all_sum += e.squaredNorm();
}

}  // namespace serial

// Whether the rows of an entity are in one level of the one nested set, if there is any.
inline bool one_level(const SerialRows& rows, std::size_t first, Eigen::Index size) {
  if (rows.nested.empty()) return true;
  const int* const codes = rows.nested[0].codes + first;
  return std::all_of(codes, codes + size, [&](int code) { return code == codes[0]; });
}

// delta + c of an annihilator's block, MB its paired columns; `of` its diagonal and `of_pairs` tr MB, as known.
inline serial::Vector serial_correction(const serial::Matrix& m, const serial::Matrix& paired, const serial::Vector& of,
                                        double of_pairs, bool by_entity) {
  serial::Vector delta = serial::Vector::Zero(m.rows());
  if (!by_entity) {
    const serial::Matrix squares = m.cwiseProduct(m);
    delta = squares.llt().solve(paired.cwiseProduct(m).rowwise().sum());
  }
  delta.array() += (of_pairs - delta.dot(of)) / of.sum();
  return delta;
}

// What an entity's own annihilator says, the same for all whose rows stand alike: whether the variances of rows can be
// told, and by lag and kind whether the form is more than nothing.
struct OwnForms {
  std::vector<int> apart;  // the clock less its first
  serial::Matrix own;
  bool rows_told = false;
  std::vector<char> told;
};

inline OwnForms own_forms(const SerialRows& rows, std::size_t first, Eigen::Index size, const std::vector<int>& lags) {
  OwnForms out;
  out.own = serial::own_annihilator(rows, first, size);
  out.rows_told = serial::tells_rows(out.own);
  out.told.assign(2 * lags.size(), 0);
  if (out.own.trace() <= least_form) return out;
  for (std::size_t f = 0; f < out.told.size(); ++f) {
    if (f % 2 == 0 && !out.rows_told) continue;
    const serial::Pairs pairs = serial::pairs_apart(rows.clock + first, size, lags[f / 2]);
    if (pairs.now.empty()) continue;
    const serial::Matrix paired = serial::paired_columns(out.own, pairs);
    const serial::Vector d = serial_correction(out.own, paired, out.own.diagonal(), paired.trace(), f % 2 == 1);
    out.told[f] = serial::trace_of_square(paired - out.own * d.asDiagonal()) > least_form;
  }
  return out;
}

// Whether every entity has a level of its own and no more, so that rows that stand alike have one annihilator.
inline bool has_plain_levels(const SerialRows& rows) {
  return !rows.root && (rows.nested.empty() || (rows.nested.size() == 1 && rows.nested[0].loadings.size() == 1 &&
                                                !rows.nested[0].loadings[0]));
}

inline SerialForms serial_forms(const SerialRows& rows, const std::vector<int>& lags, bool with_apart, int threads) {
  using serial::Matrix;
  using serial::Vector;
  const std::size_t entities = rows.start.size() - 1, pieces = std::min<std::size_t>(std::max<std::size_t>(entities, 1), 8);
  SerialForms out;
  out.forms.resize(2 * lags.size());
  for (SerialForm& form : out.forms) {
    form.diagonal.assign(rows.n, 0.0);
    form.statistic.assign(entities, 0.0);
    form.told.assign(entities, 0);
  }
  struct Part {
    std::vector<double> own, others, pair_apart, all_apart;
    double pair_sum = 0.0, all_sum = 0.0;
  };
  std::vector<Part> parts(pieces);
  for_each_piece(pieces, threads, [&](std::size_t piece) {
    Part& part = parts[piece];
    part.own.assign(out.forms.size(), 0.0);
    part.others.assign(out.forms.size(), 0.0);
    part.pair_apart.assign(most_apart + 1, 0.0);
    part.all_apart.assign(most_apart + 1, 0.0);
    const bool alike = has_plain_levels(rows);
    OwnForms known;
    for (std::size_t i = entities * piece / pieces; i < entities * (piece + 1) / pieces; ++i) {
      const std::size_t first = rows.start[i];
      const Eigen::Index size = static_cast<Eigen::Index>(rows.start[i + 1] - first);
      if (size < 2) continue;
      const int* const clock = rows.clock + first;
      const Eigen::Map<const Vector> e(rows.e + first, size);
      const bool one = alike && one_level(rows, first, size);
      const bool same = one && static_cast<Eigen::Index>(known.apart.size()) == size &&
                        std::equal(clock, clock + size, known.apart.begin(),
                                   [&](int now, int before) { return now - clock[0] == before; });
      if (!same) {
        known = own_forms(rows, first, size, lags);
        for (Eigen::Index t = 0; one && t < size; ++t) known.apart.push_back(clock[t] - clock[0]);
      }
      const Matrix& own = known.own;
      const bool has_z = rows.z && rows.r > 0;
      Matrix shared;  // ZZ' of the entity's rows
      if (has_z) {
        Matrix z(size, static_cast<Eigen::Index>(rows.r));
        for (std::size_t c = 0; c < rows.r; ++c)
          for (Eigen::Index t = 0; t < size; ++t)
            z(t, static_cast<Eigen::Index>(c)) = rows.z[c * rows.n + first + static_cast<std::size_t>(t)];
        shared.noalias() = z * z.transpose();
      }
      const Matrix m = has_z ? Matrix(own - shared) : own;
      Vector diagonal = m.diagonal();
      if (rows.less_diagonal)
        for (Eigen::Index t = 0; t < size; ++t) diagonal(t) -= rows.less_diagonal[first + static_cast<std::size_t>(t)];
      if (diagonal.sum() <= least_form) continue;
      const bool rows_told = known.rows_told && (!has_z || serial::tells_rows(m));
      for (std::size_t l = 0; l < lags.size(); ++l) {
        const serial::Pairs pairs = serial::pairs_apart(clock, size, lags[l]);
        if (pairs.now.empty()) continue;
        const Matrix paired = serial::paired_columns(m, pairs);
        double products = 0.0;
        for (std::size_t p = 0; p < pairs.now.size(); ++p) products += e(pairs.now[p]) * e(pairs.before[p]);
        double pair_trace = paired.trace();
        if (rows.less_pairs) pair_trace -= rows.less_pairs[l * entities + i];
        for (std::size_t kind = 0; kind < 2; ++kind) {
          const std::size_t at = 2 * l + kind;
          if ((kind == 0 && !rows_told) || !known.told[at]) continue;
          SerialForm& form = out.forms[at];
          const Vector d = serial_correction(m, paired, diagonal, pair_trace, kind == 1);
          form.told[i] = 1;
          form.statistic[i] = products - d.dot(e.cwiseProduct(e));
          for (Eigen::Index t = 0; t < size; ++t) form.diagonal[first + static_cast<std::size_t>(t)] = d(t);
          part.own[at] += serial::trace_of_square(paired - m * d.asDiagonal());
          if (has_z)
            part.others[at] +=
                serial::trace_of_square(serial::paired_columns(shared, pairs) - shared * d.asDiagonal());
        }
      }
      if (with_apart) serial::add_apart(m, e, clock, part.pair_apart, part.all_apart, part.pair_sum, part.all_sum);
    }
  });
  out.pair_apart.assign(most_apart + 1, 0.0);
  out.all_apart.assign(most_apart + 1, 0.0);
  for (const Part& part : parts) {
    if (part.own.empty()) continue;
    for (std::size_t f = 0; f < out.forms.size(); ++f) {
      out.forms[f].own += part.own[f];
      out.forms[f].others += part.others[f];
    }
    for (std::size_t h = 0; h <= most_apart; ++h) {
      out.pair_apart[h] += part.pair_apart[h];
      out.all_apart[h] += part.all_apart[h];
    }
    out.pair_sum += part.pair_sum;
    out.all_sum += part.all_sum;
  }
  return out;
}

// M_oP, P n x m: what effects within entities leave of columns.
inline void apply_own_annihilator(const SerialRows& rows, const double* p, std::size_t m, double* out, int threads) {
  const std::size_t entities = rows.start.size() - 1;
  const Eigen::Index width = static_cast<Eigen::Index>(m), n = static_cast<Eigen::Index>(rows.n);
  const Eigen::Map<const Eigen::MatrixXd> from(p, n, width);
  Eigen::Map<Eigen::MatrixXd> to(out, n, width);
  const std::vector<std::size_t> cuts = even_cuts(entities, 256);
  for_each_piece(cuts.size() - 1, threads, [&](std::size_t piece) {
    for (std::size_t i = cuts[piece]; i < cuts[piece + 1]; ++i) {
      const Eigen::Index first = static_cast<Eigen::Index>(rows.start[i]),
                         size = static_cast<Eigen::Index>(rows.start[i + 1]) - first;
      const Eigen::MatrixXd basis = serial::own_basis(rows, rows.start[i], size);
      Eigen::MatrixXd left = from.middleRows(first, size);
      for (int again = 0; again < 2; ++again) left -= basis * (basis.transpose() * left);
      to.middleRows(first, size) = left;
    }
  });
}

// CP of told entities, P n x m: what forms of pairs of columns are made of.
inline void apply_serial_form(const SerialRows& rows, int lag, const double* diagonal, const char* told,
                              const double* p, std::size_t m, double* out, int threads) {
  for_each_piece(m, threads, [&](std::size_t c) {
    const double* const from = p + c * rows.n;
    double* const to = out + c * rows.n;
    for (std::size_t i = 0; i + 1 < rows.start.size(); ++i) {
      const std::size_t first = rows.start[i], last = rows.start[i + 1];
      if (!told[i]) {
        std::fill(to + first, to + last, 0.0);
        continue;
      }
      for (std::size_t t = first; t < last; ++t) to[t] = -diagonal[t] * from[t];
      for (std::size_t t = first, s = first; t < last; ++t) {
        while (s < t && static_cast<long long>(rows.clock[t]) - rows.clock[s] > lag) ++s;
        if (s < t && static_cast<long long>(rows.clock[t]) - rows.clock[s] == lag) {
          to[t] += 0.5 * from[s];
          to[s] += 0.5 * from[t];
        }
      }
    }
  });
}

// Sums over entities of P_i'(CP)_i and of the squares of its elements: m x m each.
struct EntityProducts {
  Eigen::MatrixXd sum, squares;
};

inline EntityProducts entity_products(const SerialRows& rows, const double* p, const double* moved, std::size_t m,
                                      int threads) {
  const std::size_t entities = rows.start.size() - 1, pieces = std::min<std::size_t>(std::max<std::size_t>(entities, 1), 8);
  const Eigen::Index width = static_cast<Eigen::Index>(m), n = static_cast<Eigen::Index>(rows.n);
  const Eigen::Map<const Eigen::MatrixXd> left(p, n, width), right(moved, n, width);
  std::vector<EntityProducts> parts(pieces);
  for_each_piece(pieces, threads, [&](std::size_t piece) {
    EntityProducts& part = parts[piece];
    part.sum = part.squares = Eigen::MatrixXd::Zero(width, width);
    Eigen::MatrixXd one;
    for (std::size_t i = entities * piece / pieces; i < entities * (piece + 1) / pieces; ++i) {
      const Eigen::Index first = static_cast<Eigen::Index>(rows.start[i]),
                         size = static_cast<Eigen::Index>(rows.start[i + 1]) - first;
      one.noalias() = left.middleRows(first, size).transpose() * right.middleRows(first, size);
      part.sum += one;
      part.squares += one.cwiseProduct(one);
    }
  });
  for (std::size_t piece = 1; piece < pieces; ++piece) {
    parts[0].sum += parts[piece].sum;
    parts[0].squares += parts[piece].squares;
  }
  return parts[0];
}

}  // namespace wavetax
