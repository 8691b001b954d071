# Fits from a source read in pieces. First reading: each piece is accumulated into a state,
# and states merge. With two sets of effects the levels of the second enter the state as
# dummies. Clustered errors take a second reading, when the coefficients are known.

# Functions of a formula that work row by row, and so piece by piece.
row_functions <- c("log", "log1p", "log2", "log10", "exp", "sqrt", "abs", "I", "ifelse", "pmin", "pmax", "is.na",
                   "as.numeric", "as.integer", "round", "floor", "cbind", "offset",
                   "~", "+", "-", "*", "/", ":", "^", "%%", "%/%", "(", "==", "!=", "<", ">", "<=", ">=",
                   "&", "|", "!", "%in%", "c")
most_dummies <- 200
most_cells <- 5e7

fit_source <- function(request) {
  asked <- list(request$formula, request$weights, request$rows)
  check_row_functions(asked)
  sets <- if (!is.null(request$effects)) source_sets(request$effects)
  spec <- source_errors(request$errors, sets)
  wanted <- unique(c(unlist(lapply(asked, all.vars)), effect_columns(sets), unlist(spec$by)))
  reader <- list(
    from = request$data, columns = wanted, formula = request$formula, weights = request$weights, rows = request$rows,
    sets = sets, by = unlist(spec$by)
  )
  total <- accumulate_pieces(reader)
  swept <- if (is.null(sets)) {
    list(solution = core_solve_pooled(total$state), transform = new_transformation(), effects = list())
  } else {
    solve_pieces(total, sets)
  }
  design <- change_design(total$design, source = list(kind = "pieces", reader = reader, bridges = total$bridges))
  new_panel_fit(request, design, swept$solution, swept$transform, effects = swept$effects, errors = spec)
}

check_row_functions <- function(expressions) {
  used <- unique(unlist(lapply(expressions, function(e) setdiff(all.names(e), all.vars(e)))))
  other <- setdiff(used, row_functions)
  if (length(other) == 0) return(invisible())
  stop_pieces(
    sprintf("`%s()` cannot be computed piece by piece.", other[1]),
    c("Make it a column of the data first.",
      if (other[1] %in% c("factor", "against")) "Categories can be effects: `effects = ~ id + kind`.")
  )
}

# One or two columns; the words "entity" and "period" mean nothing on a source.
source_sets <- function(effects) {
  good <- rlang::is_formula(effects, lhs = FALSE)
  parts <- if (good) cluster_terms(rlang::f_rhs(effects))
  if (length(parts) %in% 1:2 && all(lengths(parts) == 1)) return(lapply(unlist(parts), new_effect_set))
  stop_effects("On a source read in pieces `effects` is one or two columns.",
               "For example `effects = ~ id + year`.")
}

source_errors <- function(errors, sets) {
  if (is.null(errors)) {
    if (is.null(sets)) return(se_classical())
    return(se_clustered(!!column_formula(sets[[1]]$columns)))
  }
  check_error_spec(errors)
  if (identical(errors$by, list("entity")) && !errors$named) errors$by <- list(sets[[1]]$columns)
  if (!is.null(errors$by)) errors$named <- TRUE
  errors
}

accumulate_pieces <- function(reader) {
  none <- lapply(reader$sets, function(set) NULL)
  total <- fold_pieces(reader, list(labels = none, sizes = none, log_weights = 0), function(total, design) {
    if (is.null(total$design)) total$design <- design
    check_same_terms(total$design, design)
    total$missing <- add_missing(total$missing, design$missing)
    if (!is.null(design$weights)) total$log_weights <- total$log_weights + sum(log(design$weights))
    columns <- lapply(reader$sets, function(set) used_column(design, set$columns))
    coded <- Map(code_values, total$labels, columns)
    total$labels <- lapply(coded, `[[`, "known")
    codes <- lapply(coded, `[[`, "codes")
    total$sizes <- Map(function(size, code, labels) {
      c(size, integer(length(labels) - length(size))) + tabulate(code, length(labels))
    }, total$sizes, codes, total$labels)
    if (length(codes) == 2) total$edges <- core_cut_edges(total$edges, codes[[1]], codes[[2]])
    pooled <- is.null(reader$sets)
    one <- if (pooled) core_pooled_state(design_rows(design)) else piece_state(design, codes, total$labels)
    total$state <- merge_pieces(total$state, one, pooled, length(design$x))
    total
  })
  if (is.null(total$design)) {
    stop_wavetax("no_rows", "No row of the source has all the variables of the formula.",
                 todo = "Leave the emptiest variable out, or check how the file was written.")
  }
  total$design <- change_design(
    design_without_rows(total$design), missing = total$missing, log_weights = total$log_weights
  )
  if (!is.null(total$edges)) total$bridges <- core_bridge_edges(total$edges)
  total
}

check_same_terms <- function(first, design) {
  if (identical(names(first$x), names(design$x))) return(invisible())
  stop_pieces(sprintf("A piece gives the regressors %s, the first gave %s.", list_some(names(design$x), 6),
                      list_some(names(first$x), 6)))
}

add_missing <- function(a, b) {
  if (is.null(a)) return(b)
  names <- union(names(a$by_variable), names(b$by_variable))
  of <- function(x) ifelse(is.na(x[names]), 0L, x[names])
  by_variable <- stats::setNames(of(a$by_variable) + of(b$by_variable), names)
  list(total = a$total + b$total, by_variable = by_variable, zero_weight = a$zero_weight + b$zero_weight)
}

# The one-way state of [dummies of the second set, x, y], the first of its levels left out.
piece_state <- function(design, codes, labels) {
  dummies <- if (length(codes) == 2) {
    count <- length(labels[[2]])
    check_dummies(count, length(labels[[1]]))
    lapply(seq_len(count)[-1], function(level) as.double(codes[[2]] == level))
  }
  rows <- core_rows(design$y, c(dummies, design$x), weights = design$weights)
  core_one_way_state(rows, core_groups(codes[[1]], length(labels[[1]])))
}

check_dummies <- function(levels, groups) {
  if (levels <= most_dummies && as.double(levels) * groups <= most_cells) return(invisible())
  stop_pieces(
    sprintf("The second set of effects has %s: too many to carry from piece to piece.", count_of(levels, "level")),
    c(sprintf("At most %d can be; name the larger set first, `effects = ~ id + year`.", most_dummies),
      "Data that fit into memory have no such limit.")
  )
}

merge_pieces <- function(a, b, pooled, k) {
  if (is.null(a)) return(b)
  if (pooled) return(core_merge_pooled(a, b))
  core_merge_one_way(core_widen(a, nrow(b$means), k + 1L), b)
}

# Effects, slopes and the transformation from the merged state.
solve_pieces <- function(total, sets) {
  k <- length(total$design$x)
  swept <- core_solve_dummies(total$state, k)
  solution <- swept$solution
  levels <- core_piece_levels(swept)
  effects <- Map(function(set, labels, size, weight, level) {
    groups <- list(count = length(labels), sizes = size, weight = weight, labels = labels)
    describe_effects(set, groups, level)
  }, sets, total$labels, total$sizes, swept$weights, levels)
  list(solution = solution, effects = effects, transform = swept_rows(swept$layers))
}
