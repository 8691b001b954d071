// A regression's rows as R hands them over.
#pragma once

#include "bindings.h"

#include <wavetax/visit.hpp>

#include <optional>

// A view as core_view() has it: list(columns, weights, n, layers, pick, shift, centre, combination,
// offsets). Layers are lists of groups, levels (a column a group), theta, loading and holds_centre;
// `pick` is the place of each column among the stored levels, 0 for the
// column of ones that is not stored. `root` and `ones` are there where columns are read under a root, see
// core_ar1_root(), `inflate` where residuals are taken times a number by row.
class RView {
 public:
  explicit RView(const Rcpp::List& view) {
    const R_xlen_t n = static_cast<R_xlen_t>(Rcpp::as<double>(view["n"]));
    const SEXP root = view.containsElementNamed("root") ? static_cast<SEXP>(view["root"]) : R_NilValue;
    if (root != R_NilValue) root_.emplace(as_ar1_root(root));
    rows_ = as_rows(view["columns"], view["weights"], root_ ? static_cast<R_xlen_t>(root_->stored) : n);
    if (root_) {
      if (root_->n != static_cast<std::size_t>(n)) Rcpp::stop("The root is not one of the view's rows.");
      rows_.n = root_->n;
      rows_.root = &*root_;
    }
    const Rcpp::List layers = view["layers"];
    for (R_xlen_t l = 0; l < layers.size(); ++l) sweep_.layers.push_back(as_layer(layers[l], n));
    const Rcpp::IntegerVector pick = view["pick"];
    for (const int column : pick)
      sweep_.pick.push_back(column == 0 ? wavetax::not_stored : static_cast<std::size_t>(column - 1));
    for (const std::size_t column : sweep_.pick)
      for (const wavetax::Layer& layer : sweep_.layers)
        if (column != wavetax::not_stored && column >= layer.width) stop_altered("a column has no levels.");
    if (sweep_.pick.size() != rows_.width()) stop_altered("its columns are not those of the regression.");
    sweep_.shift = by_column(view["shift"]);
    sweep_.centre = by_column(view["centre"]);
    if (view.containsElementNamed("ones") && !sweep_.layers.empty()) {
      const SEXP ones = view["ones"];
      if (ones != R_NilValue &&
          (TYPEOF(ones) != REALSXP || static_cast<std::size_t>(Rf_xlength(ones)) < sweep_.layers[0].groups.count))
        Rcpp::stop("What is left of ones is not one number for each group.");
      sweep_.ones = real_or_null(ones);
    }
    view_.combination = by_column(view["combination"]);
    const Rcpp::List offsets = view["offsets"];
    for (R_xlen_t l = 0; l < offsets.size(); ++l) view_.offsets.push_back(as_layer(offsets[l], n));
    if (view.containsElementNamed("inflate")) {
      const SEXP inflate = view["inflate"];
      if (inflate != R_NilValue && (TYPEOF(inflate) != REALSXP || Rf_xlength(inflate) != n))
        Rcpp::stop("What residuals are taken times is not one number for each row.");
      view_.inflate = real_or_null(inflate);
    }
    view_.rows = &rows_;
    view_.sweep = &sweep_;
  }
  RView(const RView&) = delete;
  RView& operator=(const RView&) = delete;

  const wavetax::View& operator*() const { return view_; }
  std::size_t n() const { return rows_.n; }
  std::size_t width() const { return rows_.width(); }

 private:
  const double* by_column(SEXP x) const {
    if (x != R_NilValue && (TYPEOF(x) != REALSXP || static_cast<std::size_t>(Rf_xlength(x)) != rows_.width()))
      stop_altered("its columns are not those of the regression.");
    return real_or_null(x);
  }

  static wavetax::Layer as_layer(const Rcpp::List& layer, R_xlen_t n) {
    wavetax::Layer out;
    SEXP levels = layer["levels"];
    out.groups = as_groups(layer["groups"], n);
    if (TYPEOF(levels) != REALSXP || static_cast<std::size_t>(Rf_ncols(levels)) < out.groups.count)
      stop_altered("some groups have no levels.");
    const SEXP theta = layer["theta"], loading = layer["loading"];
    const bool sound = (theta == R_NilValue || (TYPEOF(theta) == REALSXP &&
                                                static_cast<std::size_t>(Rf_xlength(theta)) >= out.groups.count)) &&
                       (loading == R_NilValue || (TYPEOF(loading) == REALSXP && Rf_xlength(loading) >= n));
    if (!sound) stop_altered("what its levels are taken times is not that of its groups and rows.");
    out.levels = REAL(levels);
    out.width = static_cast<std::size_t>(Rf_nrows(levels));
    out.theta = real_or_null(layer["theta"]);
    out.loading = real_or_null(layer["loading"]);
    out.holds_centre = Rcpp::as<bool>(layer["holds_centre"]);
    return out;
  }

  std::optional<wavetax::Ar1Root> root_;
  wavetax::Rows rows_;
  wavetax::Sweep sweep_;
  wavetax::View view_;
};
