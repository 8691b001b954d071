#include "bindings.h"
#include "view.h"

#include <wavetax/adjusted-scores.hpp>
#include <wavetax/bridges.hpp>
#include <wavetax/cross-section.hpp>
#include <wavetax/delete-clusters.hpp>
#include <wavetax/error-sinks.hpp>
#include <wavetax/gram-sink.hpp>
#include <wavetax/kernels.hpp>
#include <wavetax/oneway.hpp>
#include <wavetax/wild-draws.hpp>

namespace {

Eigen::MatrixXd factor_of(const RView& rows, const Rcpp::NumericMatrix& factor) {
  const Eigen::MatrixXd upper = unpack(factor);
  if (static_cast<std::size_t>(upper.cols()) > rows.width()) Rcpp::stop("The view lacks columns of the factor.");
  return upper;
}

}  // namespace

// The sums by cluster of the view's combination times the coordinates of its first columns, whose
// upper factor is `factor`: list(scores, a column a cluster; idle, how many combinations are `quick` or smaller).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_cluster_scores(Rcpp::List view, Rcpp::List clusters, Rcpp::NumericMatrix factor, double quick,
                              int threads) {
  const RView rows(view);
  const Eigen::MatrixXd upper = factor_of(rows, factor);
  const wavetax::Groups by = as_groups(clusters, static_cast<R_xlen_t>(rows.n()));
  wavetax::ScoreSink sums = wavetax::visit(*rows, wavetax::ScoreSink(by, upper, quick), threads);
  return Rcpp::List::create(
      Rcpp::Named("scores") = as_table(sums.scores(), static_cast<std::size_t>(upper.cols()), by.count, threads),
      Rcpp::Named("idle") = static_cast<double>(sums.idle()));
}

// Of each of several groupings into clusters list(products, longest, parts), see ClusterSums; `parts` of the contrasts,
// columns in orthonormal coordinates, are NULL where there are many clusters, unless they are wanted of `all`. With
// `rows` the products of the rows themselves, `by_row`. `idle` counts combinations that are `quick` or smaller.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_cluster_walk(Rcpp::List view, Rcpp::List clusters, Rcpp::NumericMatrix factor, int skip,
                            Rcpp::NumericMatrix contrasts, bool all, bool rows, double quick, int threads) {
  const RView walked(view);
  const Eigen::MatrixXd upper = factor_of(walked, factor);
  if (contrasts.nrow() != upper.cols()) Rcpp::stop("Contrasts are not of the factor's columns.");
  const wavetax::ClusterTerms terms(upper, static_cast<std::size_t>(skip), unpack(contrasts));
  std::vector<wavetax::Groups> by;
  for (R_xlen_t s = 0; s < clusters.size(); ++s)
    by.push_back(as_groups(clusters[s], static_cast<R_xlen_t>(walked.n())));
  const wavetax::RobustSink of_rows(upper, wavetax::EffectLeverage(), 0.0, 1.0, 0.0);
  wavetax::ErrorSink sums =
      wavetax::visit(*walked, wavetax::ErrorSink(by, terms, all, rows ? &of_rows : nullptr, quick), threads);
  sums.end();
  Rcpp::List groupings(clusters.size());
  const std::size_t some = static_cast<std::size_t>(contrasts.ncol());
  for (std::size_t s = 0; s < by.size(); ++s) {
    const wavetax::ClusterSums& one = sums.sums(s);
    Rcpp::RObject parts = R_NilValue;
    if (one.has_contrasts()) {
      Rcpp::NumericMatrix out(Rcpp::no_init(static_cast<int>(some), static_cast<int>(by[s].count)));
      for (std::size_t g = 0; g < by[s].count; ++g)
        std::copy_n(one.values().data() + (g + 1) * one.size() - some, some, out.begin() + g * some);
      parts = out;
    }
    groupings[s] = Rcpp::List::create(Rcpp::Named("products") = pack(one.products()),
                                      Rcpp::Named("longest") = one.longest(), Rcpp::Named("parts") = parts);
  }
  return Rcpp::List::create(Rcpp::Named("clusters") = groupings, Rcpp::Named("idle") = static_cast<double>(sums.idle()),
                            Rcpp::Named("by_row") = rows ? Rcpp::RObject(pack(sums.rows().products()))
                                                         : Rcpp::RObject(R_NilValue));
}

// The sum of s s' over the columns s of a matrix.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_column_products(Rcpp::NumericMatrix scores, int threads) {
  return pack(wavetax::column_products(scores.begin(), scores.ncol(), scores.nrow(), threads));
}

// sum of w^2 e^2 / (1 - h)^power u u'; `leverage` is NULL, the effects' leverage by row, or a list of groups
// and the inverses of their weights. `quick`: see RobustSink; -1 for none.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_robust_products(Rcpp::List view, Rcpp::NumericMatrix factor, SEXP leverage, int skip, double power,
                               double mean_leverage, double quick, Rcpp::Nullable<Rcpp::NumericMatrix> hat,
                               int threads) {
  const RView rows(view);
  const Eigen::MatrixXd upper = factor_of(rows, factor);
  wavetax::EffectLeverage of_effects;
  of_effects.skip = static_cast<std::size_t>(skip);
  if (TYPEOF(leverage) == REALSXP) {
    if (static_cast<std::size_t>(Rf_xlength(leverage)) != rows.n()) Rcpp::stop("Leverages are not one for each row.");
    of_effects.by_row = REAL(leverage);
  } else if (leverage != R_NilValue) {
    const Rcpp::List by_group(leverage);
    const wavetax::Groups groups = as_groups(by_group["groups"], static_cast<R_xlen_t>(rows.n()));
    SEXP inverse = by_group["inverse"];
    if (TYPEOF(inverse) != REALSXP || static_cast<std::size_t>(Rf_xlength(inverse)) != groups.count)
      Rcpp::stop("Weights are not one for each group.");
    of_effects.codes = groups.codes;
    of_effects.inverse = REAL(inverse);
  }
  Eigen::MatrixXd along;
  if (hat.isNotNull()) along = unpack(Rcpp::NumericMatrix(hat));
  if (along.size() > 0 && along.rows() != upper.cols()) Rcpp::stop("Leverages are not of the factor's columns.");
  if (along.size() > 0) of_effects.along = &along;
  const wavetax::RobustSink sums =
      wavetax::visit(*rows, wavetax::RobustSink(upper, of_effects, power, mean_leverage, quick), threads);
  return Rcpp::List::create(Rcpp::Named("products") = pack(sums.products()),
                            Rcpp::Named("fitted") = static_cast<double>(sums.fitted()));
}

// The rows in orthonormal coordinates, the first `skip` left out, times the root of their weight, and their residuals
// likewise: list(z, e).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_coordinates(Rcpp::List view, Rcpp::NumericMatrix factor, int skip, int threads) {
  const RView rows(view);
  const Eigen::MatrixXd upper = factor_of(rows, factor);
  if (skip < 0 || skip > upper.cols()) Rcpp::stop("There are fewer coordinates than are left out.");
  Rcpp::NumericMatrix z(Rcpp::no_init(static_cast<int>(rows.n()), static_cast<int>(upper.cols()) - skip));
  Rcpp::NumericVector e(Rcpp::no_init(static_cast<int>(rows.n())));
  wavetax::visit(*rows, wavetax::CoordinateSink(upper, static_cast<std::size_t>(skip), z.begin(), e.begin(), rows.n()),
                 threads);
  return Rcpp::List::create(Rcpp::Named("z") = z, Rcpp::Named("e") = e);
}

// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_adjusted_scores(Rcpp::NumericMatrix z, Rcpp::NumericVector e, Rcpp::List clusters,
                               Rcpp::NumericMatrix pick, int adjustment, bool moments, int threads) {
  if (e.size() != z.nrow() || pick.nrow() != z.ncol()) Rcpp::stop("Rows, residuals and contrasts do not fit.");
  const wavetax::Groups by = as_groups(clusters, z.nrow());
  const wavetax::AdjustedScores out = wavetax::adjusted_scores(
      z.begin(), e.begin(), static_cast<std::size_t>(z.nrow()), by, unpack(pick),
      static_cast<wavetax::Adjustment>(adjustment), moments, threads);
  return Rcpp::List::create(
      Rcpp::Named("products") = pack(out.products), Rcpp::Named("own") = pack(out.own),
      Rcpp::Named("lost") = pack(out.lost), Rcpp::Named("moments") = Rcpp::wrap(out.moments),
      Rcpp::Named("lost_in") = Rcpp::wrap(out.lost_in));
}

// What leaving out each cluster takes from the coordinates of the coefficients, pick'(I - N_g)^-1 Z_g'e_g: a column a
// cluster, NaN where the others do not tell a coefficient.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_cluster_changes(Rcpp::NumericMatrix z, Rcpp::NumericVector e, Rcpp::NumericMatrix pick,
                                        Rcpp::List clusters, int threads) {
  if (e.size() != z.nrow() || pick.nrow() != z.ncol()) Rcpp::stop("Rows, residuals and contrasts do not fit.");
  const wavetax::Groups by = as_groups(clusters, z.nrow());
  Rcpp::NumericMatrix out(Rcpp::no_init(pick.ncol(), static_cast<int>(by.count)));
  wavetax::cluster_changes(z.begin(), e.begin(), static_cast<std::size_t>(z.nrow()), unpack(pick), by, out.begin(),
                           threads);
  return out;
}

// `d` n x r and `s` n x (beside + l + m + 1), see delete_clusters(): a column a cluster.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_delete_clusters(Rcpp::NumericMatrix d, Rcpp::NumericMatrix s, Rcpp::List clusters,
                                        Rcpp::NumericMatrix factor, int beside, int l, int m, bool limited,
                                        int threads) {
  const wavetax::InstrumentedColumns of = {beside, l, m, unpack(factor), limited};
  if (d.nrow() != s.nrow() || s.ncol() != of.width() || factor.nrow() != of.width() || factor.ncol() != of.width())
    Rcpp::stop("Rows, columns and factor do not fit.");
  const wavetax::Groups by = as_groups(clusters, s.nrow());
  Rcpp::NumericMatrix out(Rcpp::no_init(beside + m, static_cast<int>(by.count)));
  wavetax::delete_clusters(d.begin(), static_cast<std::size_t>(d.ncol()), s.begin(),
                           static_cast<std::size_t>(s.nrow()), by, of, out.begin(), threads);
  return out;
}

// What a walk over cross-products by cluster gives, `size` numbers a cluster in a column, and in `idle` how many rows
// have a residual of the size `quick` or less.
template <class Use>
static Rcpp::NumericMatrix walk_grams(const RView& rows, const wavetax::Groups& by, const Eigen::MatrixXd& upper,
                                      int skip, std::size_t size, int threads, Use use, double quick = -1.0,
                                      double* idle = nullptr) {
  Rcpp::NumericMatrix out(Rcpp::no_init(static_cast<int>(size), static_cast<int>(by.count)));
  std::fill(out.begin(), out.end(), 0.0);
  use.out = out.begin();
  auto sums = wavetax::visit(*rows, wavetax::GramSink<Use>(by, upper, static_cast<std::size_t>(skip), use, quick),
                             threads);
  sums.end();
  if (idle) *idle = static_cast<double>(sums.idle());
  return out;
}

// See DeletedOf: `columns` is list(factor, beside, l, m, limited).
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_walk_deleted(Rcpp::List view, Rcpp::List clusters, Rcpp::NumericMatrix factor, int skip,
                                     Rcpp::List columns, Rcpp::NumericVector v, double left, int threads) {
  const RView rows(view);
  const Eigen::MatrixXd upper = factor_of(rows, factor);
  const wavetax::Groups by = as_groups(clusters, static_cast<R_xlen_t>(rows.n()));
  const wavetax::InstrumentedColumns of = {
      Rcpp::as<int>(columns["beside"]), Rcpp::as<int>(columns["l"]), Rcpp::as<int>(columns["m"]),
      unpack(Rcpp::NumericMatrix(SEXP(columns["factor"]))), Rcpp::as<bool>(columns["limited"])};
  if (of.width() != upper.cols() - skip + 1 || of.factor.cols() != of.width() || v.size() + 1 != of.width())
    Rcpp::stop("Columns and factor do not fit.");
  const Eigen::VectorXd taken = Eigen::Map<const Eigen::VectorXd>(v.begin(), v.size());
  return walk_grams(rows, by, upper, skip, static_cast<std::size_t>(of.beside + of.m), threads,
                    wavetax::DeletedOf{&of, &taken, left, nullptr, wavetax::WithoutCluster(of), Eigen::MatrixXd()});
}

// See AdjustedOf: list(scores, a column a cluster; idle).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_walk_adjusted(Rcpp::List view, Rcpp::List clusters, Rcpp::NumericMatrix factor, int skip,
                             Rcpp::NumericMatrix basis, Rcpp::NumericVector residual, Rcpp::NumericMatrix pick,
                             double quick, int threads) {
  const RView rows(view);
  const Eigen::MatrixXd upper = factor_of(rows, factor), q = unpack(basis), of = unpack(pick);
  const wavetax::Groups by = as_groups(clusters, static_cast<R_xlen_t>(rows.n()));
  const Eigen::VectorXd c = Eigen::Map<const Eigen::VectorXd>(residual.begin(), residual.size());
  if (q.rows() != upper.cols() - skip || c.size() != q.rows() + 1 || of.rows() != q.cols())
    Rcpp::stop("Columns and factor do not fit.");
  double idle = 0.0;
  const Rcpp::NumericMatrix scores = walk_grams(rows, by, upper, skip, static_cast<std::size_t>(of.cols()), threads,
                                                wavetax::AdjustedOf(q, c, of), quick, &idle);
  return Rcpp::List::create(Rcpp::Named("scores") = scores, Rcpp::Named("idle") = idle);
}

// See CombinedScoreSink, `first` from 0: list(sums, a column a cluster; idle).
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_walk_combined(Rcpp::List view, Rcpp::List clusters, Rcpp::NumericMatrix factor, int skip,
                             Rcpp::NumericMatrix combinations, int first, int count, double quick, int threads) {
  const RView rows(view);
  const Eigen::MatrixXd upper = factor_of(rows, factor), of = unpack(combinations);
  const wavetax::Groups by = as_groups(clusters, static_cast<R_xlen_t>(rows.n()));
  if (of.rows() != upper.cols() - skip + 1 || first < 0 || count < 0 || first + count > of.rows() - 1)
    Rcpp::stop("Columns and factor do not fit.");
  wavetax::CombinedScoreSink sums = wavetax::visit(
      *rows,
      wavetax::CombinedScoreSink(by, upper, static_cast<std::size_t>(skip), of, static_cast<std::size_t>(first),
                                 static_cast<std::size_t>(count), quick),
      threads);
  Rcpp::NumericMatrix out(Rcpp::no_init(count * static_cast<int>(of.cols()), static_cast<int>(by.count)));
  std::copy(sums.scores().begin(), sums.scores().end(), out.begin());
  return Rcpp::List::create(Rcpp::Named("sums") = out, Rcpp::Named("idle") = static_cast<double>(sums.idle()));
}

// Correlations over pairs of columns, summed: see PairSums.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_pair_sums(Rcpp::NumericMatrix values, Rcpp::NumericMatrix seen, int threads) {
  if (values.nrow() != seen.nrow() || values.ncol() != seen.ncol()) Rcpp::stop("Values and their presence do not fit.");
  const Eigen::Map<const Eigen::MatrixXd> v(values.begin(), values.nrow(), values.ncol());
  const Eigen::Map<const Eigen::MatrixXd> s(seen.begin(), seen.nrow(), seen.ncol());
  const wavetax::PairSums sums = wavetax::pair_sums(v, s, threads);
  return Rcpp::NumericVector::create(
      Rcpp::Named("pairs") = sums.pairs, Rcpp::Named("left_out") = sums.left_out, Rcpp::Named("signs") = sums.signs,
      Rcpp::Named("sizes") = sums.sizes,
      Rcpp::Named("excess") = sums.excess, Rcpp::Named("spread") = sums.spread, Rcpp::Named("squares") = sums.squares,
      Rcpp::Named("shifted") = sums.shifted, Rcpp::Named("least") = sums.least);
}

// By cluster Z_g'Z_g, a column a cluster, and Z_g'e_g.
// [[Rcpp::export(rng = false)]]
Rcpp::List cpp_cluster_moments(Rcpp::NumericMatrix z, Rcpp::NumericVector e, Rcpp::List clusters) {
  if (e.size() != z.nrow()) Rcpp::stop("Rows and residuals do not fit.");
  const wavetax::Groups by = as_groups(clusters, z.nrow());
  const int r = z.ncol(), count = static_cast<int>(by.count);
  Rcpp::NumericMatrix grams(Rcpp::no_init(r * r, count)), scores(Rcpp::no_init(r, count));
  wavetax::cluster_moments(z.begin(), e.begin(), static_cast<std::size_t>(z.nrow()), static_cast<std::size_t>(r), by,
                           grams.begin(), scores.begin());
  return Rcpp::List::create(Rcpp::Named("grams") = grams, Rcpp::Named("scores") = scores);
}

// `direction` is list(u, shifted, taken, level, slope, carried), see WildDirection: draws x 5.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_wild_draws(Rcpp::NumericMatrix scores, Rcpp::NumericMatrix weights, Rcpp::List direction,
                                   int threads) {
  wavetax::WildDirection one;
  const auto vector_of = [&](const char* name) {
    const Rcpp::NumericVector v = direction[name];
    return Eigen::VectorXd(Eigen::Map<const Eigen::VectorXd>(v.begin(), v.size()));
  };
  one.u = vector_of("u");
  one.level = vector_of("level");
  one.slope = vector_of("slope");
  one.shifted = unpack(Rcpp::NumericMatrix(SEXP(direction["shifted"])));
  one.taken = unpack(Rcpp::NumericMatrix(SEXP(direction["taken"])));
  SEXP carried = direction["carried"];
  if (carried != R_NilValue) {
    const Rcpp::List both(carried);
    one.carried_level = unpack(Rcpp::NumericMatrix(SEXP(both[0])));
    one.carried_slope = unpack(Rcpp::NumericMatrix(SEXP(both[1])));
  }
  const int G = weights.nrow();
  if (scores.ncol() != G || one.shifted.cols() != G || one.taken.cols() != G || one.level.size() != G ||
      one.slope.size() != G || one.u.size() != scores.nrow() || one.shifted.rows() != scores.nrow() ||
      one.taken.rows() != scores.nrow())
    Rcpp::stop("Scores and directions are not of the same clusters.");
  Rcpp::NumericMatrix out(Rcpp::no_init(weights.ncol(), 5));
  const Eigen::Map<const Eigen::MatrixXd> z(scores.begin(), scores.nrow(), G), v(weights.begin(), G, weights.ncol());
  wavetax::wild_draws(z, v, one, out.begin(), threads);
  return out;
}

// Rows, from 1, that hold the graph of two sets together.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericVector cpp_bridges(Rcpp::List first, Rcpp::List second, double n) {
  const std::vector<std::size_t> found =
      wavetax::bridges(as_groups(first, static_cast<R_xlen_t>(n)), as_groups(second, static_cast<R_xlen_t>(n)),
                       static_cast<std::size_t>(n));
  Rcpp::NumericVector out(found.size());
  for (std::size_t i = 0; i < found.size(); ++i) out[i] = static_cast<double>(found[i] + 1);
  return out;
}

// Edges of the graph of two sets' levels, 2 x their count, that tell its bridges: of those that were known and of more
// rows.
// [[Rcpp::export(rng = false)]]
Rcpp::IntegerMatrix cpp_cut_edges(Rcpp::IntegerMatrix known, Rcpp::IntegerVector first, Rcpp::IntegerVector second) {
  if (known.nrow() != 2 || first.size() != second.size()) Rcpp::stop("Edges have two ends.");
  wavetax::CutCertificate certificate;
  const auto add = [&](int a, int b) {
    if (a < 1 || b < 1) Rcpp::stop("A level is missing.");
    certificate.add(a, b);
  };
  for (int i = 0; i < known.ncol(); ++i) add(known(0, i), known(1, i));
  for (R_xlen_t i = 0; i < first.size(); ++i) add(first[i], second[i]);
  const auto& edges = certificate.edges();
  Rcpp::IntegerMatrix out(Rcpp::no_init(2, static_cast<int>(edges.size())));
  for (std::size_t i = 0; i < edges.size(); ++i) {
    out[2 * i] = edges[i].first;
    out[2 * i + 1] = edges[i].second;
  }
  return out;
}

// How many groups have rows in several clusters, or `most` where they are no fewer.
// [[Rcpp::export(rng = false)]]
double cpp_crossing_groups(Rcpp::List groups, Rcpp::List clusters, double n, double most) {
  const wavetax::Groups of = as_groups(groups, static_cast<R_xlen_t>(n));
  const wavetax::Groups in = as_groups(clusters, static_cast<R_xlen_t>(n));
  std::vector<int> first(of.count, 0);  // the cluster of a group; -1 for several
  double count = 0.0;
  for (std::size_t i = 0; i < static_cast<std::size_t>(n) && count < most; ++i) {
    int& one = first[of.of(i)];
    if (one == -1 || one == in.codes[i]) continue;
    count += one != 0;
    one = one == 0 ? in.codes[i] : -1;
  }
  return count;
}

// sum over pairs of rows of one group, up to `lags` ticks apart, of (1 - distance / (lags + 1)) times the
// products of their scores, both ways; `order` has the rows by group and clock.
// [[Rcpp::export(rng = false)]]
Rcpp::NumericMatrix cpp_lagged_products(Rcpp::NumericMatrix scores, Rcpp::List groups, Rcpp::IntegerVector clock,
                                        Rcpp::IntegerVector order, int lags, int threads) {
  const R_xlen_t n = scores.nrow();
  if (clock.size() != n || order.size() != n) Rcpp::stop("Scores, clock and order do not fit.");
  const wavetax::Groups by = as_groups(groups, n);
  for (const int row : order)
    if (row < 1 || row > n) Rcpp::stop("The order names a row that does not exist.");
  return pack(wavetax::lagged_products(scores.begin(), static_cast<std::size_t>(n),
                                       static_cast<std::size_t>(scores.ncol()), by, clock.begin(), order.begin(),
                                       lags, threads));
}
