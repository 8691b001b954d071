# How a fit is printed: what was estimated of what; the sample; which errors; one
# table; what was dropped and why; a few figures of fit.

sample_words <- function(fit) {
  design <- fit$design
  size <- count_of(fit$n, method_of(fit)$row(design))
  sample <- sample_facts(fit)
  panel <- if (!is.null(design$between)) {
    sprintf(" (means of %s%s)", count_of(design$collapsed$n, "row"),
            if (is.null(design$averaged_by)) "" else paste0(", weighted by ", design$averaged_by))
  } else if (!is.na(sample$entities)) {
    sprintf(
      ": %s, %s (%s), %s", count_of(sample$entities, design$index$entity),
      count_of(sample$periods, design$index$period),
      paste(unique(c(format_period(sample$first), format_period(sample$last))), collapse = " to "),
      if (sample$balanced) "balanced" else "unbalanced"
    )
  } else if (length(fit$effects) > 0) {
    paste0(": ", list_words(vapply(fit$effects, function(set) count_of(set$groups$count, set$name), "")))
  }
  left_out <- missing_words(design$missing)
  if (!is.null(design$chosen)) size <- paste(size, "where", design$chosen)
  paste0(size, panel, if (!is.null(design$weights)) paste0("; weighted by ", design$weighted_by),
         if (!is.null(left_out)) paste0("; ", left_out))
}

errors_words <- function(fit) {
  errors <- fit$errors
  df <- errors_df(fit)[shown_or_all(fit)]
  df <- df[!is.na(df)]
  reference <- if (length(df) > 0) sprintf("t with %s df", paste(unique(df_words(range(df))), collapse = " to "))
  counted <- if (!is.null(errors$clusters)) {
    sizes <- if (length(errors$clusters) == 1 && errors$clusters < few_clusters) errors$sizes[[1]]
    paste0(": ", paste(count_of_clusters(errors), collapse = ", "),
           if (length(sizes) == 2) sprintf(" of %s", rows_range(sizes)))
  }
  sprintf("Standard errors %s%s (%s)", errors$label, if (is.null(counted)) "" else counted,
          paste(c(errors$type, reference), collapse = ", "))
}

shown_or_all <- function(fit) {
  shown <- shown_terms(fit)
  if (any(shown)) shown else rep(TRUE, length(shown))
}

rows_range <- function(sizes) {
  if (sizes[1] == sizes[2]) count_of(sizes[1], "row") else sprintf("%s to %s", count_words(sizes[1]),
                                                                   count_of(sizes[2], "row"))
}

# The label names the one column; several are named here.
count_of_clusters <- function(errors) {
  clusters <- errors$clusters
  if (length(clusters) == 1 && grepl(" by ", errors$label)) return(count_of(clusters[[1]], "cluster"))
  cluster_words(clusters)
}

# Means of what varies within stand below their own line, levels of one variable below its name. `phrases`: see
# term_phrases().
coefficients_table <- function(table, phrases, means, title = NULL, notes = NULL) {
  value <- function(head, name) {
    table_column(head, number_cells(table[[name]], estimate_decimals(table$estimate, table$std_error)), name)
  }
  is_mean <- table$term %in% means$terms
  table <- table[order(is_mean), ]
  phrases <- phrases[match(table$term, phrases$term), ]
  headed <- nzchar(phrases$head)
  out <- new_panel_table(
    table_rows(ifelse(headed, phrases$short, whole_label(phrases$label, phrases$unit)), depth = headed,
               key = table$term),
    title = title, notes = notes,
    columns = list(value("estimate", "estimate"), value("std. error", "std_error"), value("95% from", "low"),
                   value("to", "high"), table_column("p", p_cells(table$p_value)))
  )
  opens <- which(headed & phrases$head != c("", phrases$head)[seq_len(nrow(phrases))])
  words <- whole_label(phrases$head, phrases$unit)[opens]
  depth <- rep(1, length(opens))
  if (any(is_mean)) {
    words <- c(words, sprintf("Within %s, and of what is fixed", means$unit),
               sprintf("Between %s less within", means$unit))
    opens <- c(opens, 1, sum(!is_mean) + 1)
    depth <- c(depth, 0, 0)
  }
  order <- order(opens, rev(seq_along(opens)))
  if (length(words) == 0) out else insert_rows(out, table_rows(words[order], "span", depth[order]), opens[order] - 1)
}

# What stands below the coefficients, a line each.
closing_words <- function(fit) {
  apart <- method_of(fit)$constant == "aside"
  c(
    dropped_words(dropped_terms(fit)),
    told_of_rows(fit),
    if (apart && tells_dimension(fit)) dimension_words(fit),
    offset_words(fit), fit$notes, missing_error_words(fit), explained_words(fit),
    if (!is.null(fit$variance$sigma2)) variance_words(fit),
    if (is_serial(fit)) serial_lines(fit),
    adjustment_line(fit),
    if (length(fit$errors$notes) > 0) paste("Note:", fit$errors$notes),
    if (fit$n >= many_rows && keeps_rows(fit)) size_words(fit)
  )
}

# From so many rows on a fit says what it holds.
many_rows <- 1e6

size_words <- function(fit) {
  sprintf("The fit holds %s MB of rows; `slim()` leaves them out", count_words(ceiling(rows_size(fit) / 1e6)))
}

# A record's constant that stands aside, where it is asked for: the effects are deviations from it.
aside_constant_words <- function(record) {
  constant <- record$coefficients[record$coefficients$aside, ]
  if (nrow(constant) == 0) return(NULL)
  places <- estimate_decimals(constant$estimate, constant$std_error)
  number <- function(value) format_number(value, decimals = places)
  sprintf("Constant %s%s: the effects average zero over the rows", number(constant$estimate),
          if (is.na(constant$std_error)) "" else paste(", std. error", number(constant$std_error)))
}

dropped_words <- function(dropped) {
  vapply(unique(dropped$reason), function(reason) {
    paste0("Dropped: ", list_some(dropped$term[dropped$reason == reason], 6), " (", reason, ")")
  }, "", USE.NAMES = FALSE)
}

offset_words <- function(fit) {
  terms <- fit$design$blueprint$terms
  at <- attr(terms, "offset")
  if (length(at) == 0) return(NULL)
  added <- vapply(as.list(attr(terms, "variables"))[-1][at], function(call) deparse_words(call[[2]]), "")
  sprintf("Added with the coefficient 1: %s%s", list_words(added),
          if (is.null(fit$instrumented)) "; R-squared is of what that leaves" else "")
}

# What is told of rows and regressors, beneath a fit and beneath a table.
told_of_rows <- function(fit) c(singletons_of(fit), told_of_trends(fit), told_of_outcome(fit))

told_of_trends <- function(fit) {
  unlist(lapply(unname(fit$effects), function(set) {
    if (!set$through_zero) return(NULL)
    index <- fit$design$index
    counts <- if (identical(set$trends, index$period)) {
      sprintf(": it counts 1 in %s", format_period(index$periods[1]))
    }
    sprintf("Trends of %s have no levels beside them, so slopes depend on where %s is 0%s", plural_of(set$name),
            list_words(set$trends), if (is.null(counts)) "" else counts)
  }))
}

# Under random effects such rows tell of the slopes too.
singletons_of <- function(fit) {
  if (method_of(fit)$effects != "fixed") return(NULL)
  unlist(lapply(unname(fit$effects), function(set) if (set$singletons > 0) singleton_words(set)))
}

singleton_words <- function(effects) {
  n <- effects$singletons
  sprintf("%s %s once and %s nothing about the slopes", count_of(n, effects$name),
          verb(n, "appear"), verb(n, "tell"))
}

# A standard error that does not exist is said, with the reason.
missing_error_words <- function(fit) {
  gone <- is.na(standard_errors(fit))
  if (length(fit$errors$lost) == length(gone)) gone <- gone & !fit$errors$lost
  gone <- kept_terms(fit)[gone]
  if (length(gone) == 0) return(NULL)
  why <- if (fit$ssr <= 1e-20 * max(fit$sst,
                                    sum(fit$design$y^2))) "the model fits every row, so nothing tells of noise" else
    sprintf("under these errors %s variance is 0", if (length(gone) == 1) "its" else "their")
  sprintf("No standard error for %s: %s", list_some(term_words(gone), 6), why)
}

# What the model explains of what it compares, in percent of the variance.
explained_words <- function(fit) {
  if (length(fit$r_squared) == 0) return(NULL)
  known <- fit$r_squared[is.finite(fit$r_squared)]
  if (length(known) == 0) return("Explains nothing: nothing varies")
  percent <- function(kind, words) {
    if (kind %in% names(known)) sprintf(words, fixed_decimals(100 * known[[kind]], 1))
  }
  of <- r_squared_group(fit)
  groups <- if (!is.null(of)) plural_of(of)
  if ("of_changes" %in% names(known)) return(percent("of_changes", "Explains %s percent of how changes vary"))
  if (!is.null(fit$design$between)) {
    return(percent("between", paste("Explains %s percent of what varies between", groups)))
  }
  within <- percent("within", paste("%s percent of what varies within", groups))
  # Trends without levels leave in what the groups' means differ in.
  if (isTRUE(known["within"] < 0)) within <- NULL
  all_sets <- percent("swept", paste("%s percent of what varies within", swept_words(fit$effects)))
  whole <- if (has_swept_effects(fit)) percent("effects", "%s percent of everything with the effects") else
    percent("overall", if (length(fit$effects) > 0) "%s percent of everything without the effects" else
      "%s percent of everything")
  paste("Explains", paste(c(within, all_sets, whole), collapse = "; "))
}

# One set of levels of entities or periods is told with the sample.
tells_dimension <- function(fit) {
  set <- fit$effects[[1]]
  index <- fit$design$index
  length(fit$effects) > 1 || length(set$trends) > 0 || !is.null(index) && !set$name %in% c(index$entity, index$period)
}

# Which dimension the effects have, and how exactly they were swept out.
dimension_words <- function(fit) {
  steps <- fit$iteration$steps
  left <- formatC(fit$iteration$achieved, format = "e", digits = 0, decimal.mark = ".")
  how <- if (steps > 0) {
    sprintf("swept out in %s, %s of a column left", count_of(steps, "step"), left)
  } else if (fit$iteration$achieved <= 1e-12) {
    "swept out directly"
  } else {
    sprintf("swept out directly, %s of a column left", left)
  }
  several <- length(fit$effects) > 1 || length(fit$effects[[1]]$trends) > 0
  sprintf("Effects take %s%s df (%s)%s", if (fit$df$exact) "" else "at most ", count_words(fit$df$effects),
          effect_sizes(fit$effects), if (several) paste(",", how) else "")
}

# How many levels each set has, and in how many groups that share none of the first set's.
effect_sizes <- function(sets) {
  apart <- vapply(sets, function(set) if (is.null(set$connected)) 1 else as.numeric(set$connected), 0)
  sizes <- vapply(sets, function(set) {
    paste0(count_of(set$groups$count, set$name), if (length(set$trends) > 0) " with trends")
  }, "")
  if (all(apart == 1)) return(paste0(list_words(sizes), if (length(sets) > 1) ", connected"))
  paste0(sizes, ifelse(apart > 1, sprintf(" in %s groups that share no %s", count_words(apart), sets[[1]]$name), ""),
         collapse = "; ")
}

variance_words <- function(fit) {
  v <- fit$variance
  names <- names(v$sigma2)
  share <- 100 * v$sigma2 / (sum(v$sigma2) + v$sigma2_e)
  places <- function(x) fixed_decimals(x, 3)
  parts <- sprintf("%s between %s (%s percent of the whole)", format_number(v$sigma2), plurals_of(names),
                   format_number(share, 3))
  theta <- if (!is.null(v$theta)) {
    sprintf("; theta %s", paste(unique(places(range(v$theta[fit$effects[[1]]$groups$sizes > 0]))), collapse = " to "))
  }
  paste0("Variance by ", variance_method_words[[v$method]], ": ", format_number(v$sigma2_e), " within, ",
         list_words(parts), theta)
}

variance_method_words <- c(
  amemiya = "Amemiya", "maximum-likelihood" = "maximum likelihood", nerlove = "Nerlove",
  "swamy-arora" = "Swamy and Arora", "wallace-hussain" = "Wallace and Hussain"
)
