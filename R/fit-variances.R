# Weights that are estimated: `weights = ~ variance_of(harbour)`. Two steps: the fit without them, from whose residuals
# each group has a variance, and the fit under one over these.

# A request whose weights are such has them computed, `run` the function that fits: options$group_variances is
# list(column, labels, sigma2, rows, n), those of another fit where options$hold_variances.
with_estimated_weights <- function(request, run) {
  if (isTRUE(request$options$hold_variances)) return(request)
  column <- variance_column(request)
  request$options$group_variances <- NULL
  if (is.null(column)) return(request)
  check_takes_variances(request)
  first <- request
  first["weights"] <- list(NULL)
  first$options["serial"] <- list(NULL)
  first["errors"] <- list(se_classical())
  first$keep <- "rows"
  fit <- muffled(run(first), "message")
  request$options$group_variances <- group_variances(fit, column)
  request
}

# The column of variance_of() in a request's weights, NULL where they are no such.
variance_column <- function(request) {
  if (!rlang::is_formula(request$weights)) return(NULL)
  call <- rlang::f_rhs(request$weights)
  if (!is_operator(call, "variance_of")) {
    if ("variance_of" %in% all.names(call)) stop_variance_of(call)
    return(NULL)
  }
  if (length(call) != 2 || !is.symbol(call[[2]])) stop_variance_of(call)
  as.character(call[[2]])
}

stop_variance_of <- function(call) {
  stop_wavetax("weights", sprintf("`%s` is not `variance_of()` of one column.", short_text(deparse_words(call))),
               todo = "For example `weights = ~ variance_of(region)`.")
}

check_takes_variances <- function(request) {
  if (is_source(request$data)) stop_pieces("Variances of groups need all rows at once.", "Read the data whole.")
  if (method_of(request)$nests) return(invisible())
  stop_wavetax("weights",
               sprintf("Weights from estimated variances are of pooled and fixed effects fits, not of %s %s fit.",
                       article_of(method_words(request)), method_words(request)),
               todo = "`fit_gls(variances = \"entity\")` is another way.")
}

# sum e^2 / sum (1 - h) of each group, h the leverage of the effects.
group_variances <- function(fit, column) {
  check_columns(column, fit$design$data)
  groups <- column_groups(fit$design, column)
  check_clusters(groups, column)
  e <- weighted_residuals(fit)
  leverage <- effect_leverages(fit, list(type = "This variance", leverages = "exact"))$values
  h <- if (is.null(leverage)) numeric(fit$n) else if (is.list(leverage)) leverage$inverse[leverage$groups$codes] else
    leverage
  left <- core_group_sums(1 - h, groups$codes, groups$count)
  sigma2 <- core_group_sums(e^2, groups$codes, groups$count) / left
  check_group_variances(groups, left, sigma2, column)
  list(column = column, labels = groups$labels, sigma2 = sigma2, rows = groups$sizes, n = fit$n)
}

check_group_variances <- function(groups, left, sigma2, column) {
  small <- groups$sizes < 3 | left <= 1e-9
  if (any(small)) {
    stop_wavetax(
      c("small_group", "weights"),
      sprintf("%s of `%s` %s too small for a variance: three rows are needed.", count_of(sum(small), "group"), column,
              if (sum(small) == 1) "is" else "are"),
      where = sprintf("%s.", list_some(label_text(groups$labels[small]), 4)),
      todo = "Leave them out with `rows =`, or join groups."
    )
  }
  none <- sigma2 <= 1e-14 * max(sigma2)
  if (!any(none)) return(invisible())
  stop_wavetax(c("no_variance", "weights"), sprintf("Residuals of %s of `%s` are all 0: a weight without end.",
                                                    count_of(sum(none), "group"), column),
               where = sprintf("%s.", list_some(label_text(groups$labels[none]), 4)),
               todo = "Leave them out with `rows =`, or join groups.")
}

# 1 / sigma2 by row of the data; 1 where a row is of no group that was seen.
weights_of_variances <- function(variances, data) {
  w <- 1 / variances$sigma2[match(plain_column(data[[variances$column]]), variances$labels)]
  w[is.na(w)] <- 1
  w
}

# A variance from T rows that weighs those same rows makes errors too small: meats take rows times T / (T - 2).
variance_factor <- function(rows) rows / (rows - 2)

# By row of a design, NULL where no variances were estimated.
inflation_of <- function(request, design) {
  variances <- request$options$group_variances
  if (is.null(variances)) return(NULL)
  variance_factor(variances$rows)[match(used_column(design, variances$column), variances$labels)]
}

# What makes up for estimated weights, for the fit: see new_panel_fit().
weights_adjustment <- function(request) {
  variances <- request$options$group_variances
  if (is.null(variances)) return(NULL)
  list(by_row = range(variance_factor(variances$rows)), variances = length(variances$sigma2), covariances = 0,
       rows = variances$n, of = variances$column)
}

# The variance of each entity from residuals of rows that are alike but for it.
entity_variances <- function(left, groups, entity) {
  rows <- groups$sizes
  small <- rows > 0 & rows < 3
  if (any(small)) {
    stop_wavetax("variances", sprintf("%s %s two rows or one: too few for a variance.", count_of(sum(small), entity),
                                      if (sum(small) == 1) "has" else "have"),
                 where = sprintf("%s.", list_some(label_text(groups$labels[small]), 4)),
                 todo = c("Those with more: `panel_balance(panel, \"entities\", least = 3)`.",
                          "Or `variances = \"common\"`."))
  }
  out <- core_group_sums(left^2, groups$codes, groups$count) / rows
  check_no_zero_variance(out, groups$labels, entity)
  out
}

check_no_zero_variance <- function(variances, labels, entity) {
  none <- which(variances <= 1e-14 * max(variances, na.rm = TRUE))
  if (length(none) == 0) return(invisible())
  stop_wavetax("variances", sprintf("Residuals of %s are all 0: a weight without end.",
                                    count_of(length(none), entity)),
               where = sprintf("%s.", list_some(label_text(labels[none]), 4)),
               todo = "Leave them out with `rows =`.")
}
