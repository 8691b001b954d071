# Whether a saved fit can be true: what follows from other fields is computed again and compared, the
# rest has its range. Gives the first field that cannot be, NULL for none.

record_fault <- function(record) {
  for (field in names(record_claims)) if (!isTRUE(record_claims[[field]](record))) return(field)
}

close_to <- function(x, y, tolerance = 1e-6) {
  identical(is.na(x), is.na(y)) && all(abs(x - y) <= tolerance * (abs(x) + abs(y)) + 1e-300, na.rm = TRUE)
}

within_range <- function(x, low, high) all(is.na(x) | x >= low & x <= high)

is_count <- function(x) all(is.na(x) | as.numeric(x) >= 0 & x == trunc(as.numeric(x)))

record_claims <- list(
  coefficients = function(record) {
    table <- record$coefficients
    df <- record$errors$df
    half <- stats::qt(0.975, df) * table$std_error
    own <- grepl("bootstrap", record$errors$label, fixed = TRUE)
    length(df) == nrow(table) && !anyNA(df[!is.na(table$std_error)]) &&
      !anyDuplicated(table$term) && !anyNA(table$estimate) && within_range(table$std_error, 0, Inf) &&
      close_to(table$statistic, table$estimate / table$std_error) && within_range(table$p_value, 0, 1) &&
      all(table$low <= table$high, na.rm = TRUE) &&
      (own || close_to(table$p_value, 2 * stats::pt(-abs(table$statistic), df)) &&
         close_to(table$high - table$low, 2 * half) && close_to(table$high + table$low, 2 * table$estimate + 0 * half))
  },
  covariance = function(record) {
    covariance <- record$covariance
    variance <- diag(covariance)
    error <- sqrt(ifelse(variance > 0, variance, NA_real_))
    error[is.na(record$coefficients$std_error) & variance <= 1e-20 * record$coefficients$estimate^2] <- NA
    symmetric <- close_to(c(covariance), c(t(covariance)))
    # Of several dimensions of clusters the sum and difference of covariances may be no covariance.
    if (length(record$errors$clusters) > 1 || anyNA(error)) {
      return(symmetric && close_to(unname(error), record$coefficients$std_error))
    }
    share <- covariance / outer(error, error)
    symmetric && close_to(unname(error), record$coefficients$std_error) &&
      min(eigen(share, symmetric = TRUE, only.values = TRUE)$values) > -1e-8 * nrow(share)
  },
  errors = function(record) {
    clusters <- record$errors$clusters
    is_count(clusters) && within_range(clusters, 1, rows_behind(record)) &&
      grepl(record$errors$label, record$errors_words, fixed = TRUE) &&
      all(vapply(count_words(clusters), grepl, TRUE, record$errors_words, fixed = TRUE))
  },
  rows = function(record) startsWith(record$sample, paste0(count_words(record$rows), " ")),
  entity = function(record) {
    count <- record$entity$count
    seen <- numbers_of(list(record$figures$entities))
    is.null(count) || is_count(count) && within_range(count, 1, rows_behind(record)) &&
      (is.null(seen) || anyNA(seen) || count == seen)
  },
  r_squared = function(record) {
    value <- record$r_squared$value
    of <- match(record$r_squared$kind, c("within", "swept", "between", "overall", "effects", "of_changes"))
    figures <- record$figures[paste0("r2_", c("within", "within_all", "between", "overall", "with_effects",
                                              "of_changes"))]
    within_range(value, -Inf, 1 + 1e-12) && !anyNA(of) && !anyDuplicated(of) &&
      (is.null(record$figures) || close_to(value, numbers_of(unname(figures[of]))))
  },
  variance = function(record) {
    parts <- lapply(record$variance[c("variance", "sd", "share")], numbers_of)
    is.null(record$variance) || !any(vapply(parts, is.null, TRUE)) && length(unique(lengths(parts))) == 1 &&
      within_range(parts$variance, 0, Inf) && close_to(parts$sd^2, parts$variance) &&
      (sum(parts$variance) == 0 || close_to(parts$share, parts$variance / sum(parts$variance)))
  },
  variances = function(record) {
    is.null(record$variances) || any(grepl(record$variances, c(record$title, record$closing), fixed = TRUE))
  },
  figures = function(record) {
    if (is.null(record$figures)) return(TRUE)
    x <- lapply(record$figures[setdiff(names(record$figures), "df_exact")], function(one) numbers_of(list(one)))
    if (any(vapply(x, is.null, TRUE)) || !all(figure_names %in% names(record$figures))) return(FALSE)
    counts <- unlist(x[c("rows", "entities", "periods", "coefficients", "df_residual", "df_effects", "f_df1",
                         "parameters", "iterations")])
    is_count(counts) && x$rows == record$rows && close_to(x$aic, -2 * x$log_lik + 2 * x$parameters) &&
      close_to(x$bic, -2 * x$log_lik + log(x$rows) * x$parameters) &&
      within_range(c(x$rmse, x$f, x$achieved), 0, Inf) &&
      close_to(x$f_p, stats::pf(x$f, x$f_df1, x$f_df2, lower.tail = FALSE))
  }
)

figure_names <- c(
  "rows", "entities", "periods", "coefficients", "df_residual", "df_effects", "df_exact", "f", "f_df1", "f_df2", "f_p",
  "rmse", "log_lik", "parameters", "aic", "bic", "iterations", "achieved"
)

# Means of entities stand for more rows than they are.
rows_behind <- function(record) if (record$method == "between") Inf else record$rows

stop_not_fits <- function(file, where) {
  stop_wavetax("not_fits", sprintf("The file %s could not be read as fits.", sQuote(file, FALSE)),
               where = utils::head(strsplit(where, "\n")[[1]], 1), todo = "Fits are saved by `write_fits()`.")
}

numbers_of <- function(x) values_of(x, is.double, NA_real_)

# A list of single values of one kind; nulls are missing. NULL where they are of another.
values_of <- function(x, is_kind, missing) {
  x <- lapply(as.list(x), function(one) if (is.integer(one)) as.double(one) else one)
  good <- vapply(x, function(one) is.null(one) || (length(one) == 1 && is_kind(one)), TRUE)
  if (all(good)) unname(vapply(x, function(one) if (is.null(one)) missing else one, missing))
}
