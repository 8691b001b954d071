#' Residuals in pictures
#'
#' Question answered: *where does the fit go wrong: for which values, periods, entities?*
#'
#' * `"fitted"`: residuals against fitted values; a bend asks for another form, a funnel for robust errors.
#' * `"period"`: their mean in each period with twice its error; shocks that all share stand out.
#' * `"entity"`: their spread by entity, in order; the widest are named.
#' * `"autocorrelation"`: by how many periods apart, over pairs of one entity.
#' * `"normal"`: their quantiles against those of a normal law.
#'
#' @param fit A fit on a [panel_frame()].
#' @param show One of those, or `"page"` for all.
#' @param labels How many unusual entities are named.
#' @return A ggplot.
#' @section Errors:
#' `wavetax_error_not_a_panel`; `wavetax_error_argument`; `wavetax_error_slim` of a fit without its rows;
#' `wavetax_error_perfect_fit`.
#' @examples
#' panel <- panel_frame(harbours, harbour, season)
#' plot_residuals(fit_fixed(log(nights) ~ levy + storms, panel))
#' @export
plot_residuals <- function(fit, show = "page", labels = 3) {
  check_is_fit(fit)
  check_choice(show, c("page", names(residual_panels)), "show")
  check_number(labels, "labels", low = 0, high = 50, whole = TRUE)
  sample <- residual_sample(fit)
  sample$fitted <- kept_rows(fit$design$y - transformed_residuals(fit), sample$keep)
  sample$labels <- label_text(fit$design$index$entities)[sort(unique(kept_rows(used_index(fit$design)$entity,
                                                                               sample$keep)))]
  wanted <- if (show == "page") names(residual_panels) else show
  parts <- lapply(wanted, function(name) residual_panels[[name]](sample, fit, labels))
  data <- do.call(rbind, parts)
  data$panel <- factor(data$panel, unique(data$panel))
  of <- function(kind) data[data$kind == kind, ]
  figure <- ggplot2::ggplot(data, ggplot2::aes(x = .data$x, y = .data$y)) +
    ggplot2::geom_hline(data = of("zero"), ggplot2::aes(yintercept = .data$y), colour = "grey60", linetype = "22") +
    ggplot2::geom_point(data = of("point"), colour = estimate_ink, alpha = point_alpha(nrow(of("point"))), size = 1.3) +
    ggplot2::geom_segment(data = of("range"), ggplot2::aes(xend = .data$x, y = .data$low, yend = .data$high),
                          colour = estimate_ink, linewidth = 0.9) +
    ggplot2::geom_point(data = of("range"), colour = estimate_ink, fill = "white", shape = 21, size = 2) +
    ggplot2::geom_line(data = of("line"), colour = look_colours[2], linewidth = 0.8) +
    ggplot2::geom_text(data = of("label"), ggplot2::aes(label = visible_text(.data$label), hjust = .data$low),
                       size = letters_of(8),
                       colour = "grey15", vjust = -0.5) +
    ggplot2::scale_x_continuous(breaks = whole_marks, labels = plain_labels) +
    ggplot2::scale_y_continuous(labels = plain_labels, expand = ggplot2::expansion(mult = 0.1)) +
    ggplot2::labs(x = NULL, y = if (show == "page") NULL else "residual") +
    figure_theme("none")
  if (show == "page") {
    figure <- figure + ggplot2::facet_wrap(~panel, scales = "free", ncol = 2, labeller = ggplot2::label_wrap_gen(34)) +
      ggplot2::theme(panel.spacing = ggplot2::unit(14, "pt"))
  }
  title <- method_of(fit)$title(fit)
  new_figure(figure, sprintf("Residuals: %s%s, %s", lower_case(substr(title, 1, 1)), substring(title, 2),
                             fit$design$outcome),
             paste0(count_of(length(sample$e), "row"), if (show != "page") paste0("; ", levels(data$panel))),
             if (show == "page") 6 else 3.4)
}

# Without separated thousands: some are years.
plain_labels <- function(x) gsub(",", "", axis_labels(x), fixed = TRUE)

# Whole numbers where there are few between the limits.
whole_marks <- function(limits) {
  marks <- axis_marks(limits)
  if (limits[1] > 0 && diff(limits) >= 1.5 && diff(limits) <= 12) unique(round(marks)) else marks
}

point_alpha <- function(n) max(0.08, min(0.6, 300 / max(1, n)))

# Rows to draw: panel, kind ("point", "range", "line", "zero", "label"), x, y, low, high, label.
panel_rows <- function(panel, kind, x = NA_real_, y = NA_real_, low = NA_real_, high = NA_real_, label = "") {
  if (length(x) == 0) return(NULL)
  data.frame(panel = panel, kind = kind, x = x, y = y, low = low, high = high, label = label)
}

# At most so many points are drawn; which is said.
most_points <- 20000

residual_panels <- list(
  fitted = function(sample, fit, labels) {
    n <- length(sample$e)
    use <- if (n > most_points) sort(with_own_seed(1, sample.int(n, most_points))) else seq_len(n)
    panel <- if (n > most_points) sprintf("Against fitted values (%s of %s rows)", count_words(most_points),
                                          count_words(n)) else
      "Against fitted values"
    order <- order(sample$fitted)
    cut <- unique(round(seq(0, n, length.out = min(25, max(2, n %/% 20)) + 1)))
    middle <- vapply(seq_along(cut)[-1], function(c) {
      at <- order[(cut[c - 1] + 1):cut[c]]
      c(mean(sample$fitted[at]), mean(sample$e[at]))
    }, numeric(2))
    rbind(panel_rows(panel, "zero", 0, 0), panel_rows(panel, "point", sample$fitted[use], sample$e[use]),
          panel_rows(panel, "line", middle[1, ], middle[2, ]))
  },
  period = function(sample, fit, labels) {
    index <- fit$design$index
    ranked <- rank_codes(sample$clock - min(sample$clock) + 1L)
    size <- tabulate(ranked$codes)
    mean <- core_group_sums(sample$e, ranked$codes, ranked$count) / size
    sd <- sqrt(pmax(core_group_sums(sample$e^2, ranked$codes, ranked$count) / size - mean^2, 0) / pmax(size - 1, 1))
    panel <- sprintf("Mean by %s, with twice its error", index$period)
    ticks <- sort(unique(sample$clock))
    labels <- index$periods[match(ticks, index$ticks)]
    x <- if (is.numeric(labels)) as.numeric(labels) else ticks
    rbind(panel_rows(panel, "zero", mean(x), 0), panel_rows(panel, "range", x, mean, mean - 2 * sd, mean + 2 * sd))
  },
  entity = function(sample, fit, labels) {
    N <- max(sample$entity)
    size <- tabulate(sample$entity, N)
    spread <- sqrt(core_group_sums(sample$e^2, sample$entity, N) / pmax(size, 1))
    panel <- sprintf("Spread by %s, from the narrowest to the widest", sample$noun)
    use <- which(size >= 2)
    use <- use[order(spread[use])]
    named <- utils::tail(seq_along(use), min(labels, length(use)))
    shown <- if (length(use) > most_points) round(seq(1, length(use), length.out = most_points)) else seq_along(use)
    rbind(panel_rows(panel, "point", shown, spread[use[shown]]), if (length(named) > 0) {
      panel_rows(panel, "label", 1, 0.9 * max(spread[use]), low = 0,
                 label = paste("widest:", paste(sample$labels[use[rev(named)]], collapse = ", ")))
    })
  },
  autocorrelation = function(sample, fit, labels) {
    lags <- seq_len(min(10, max(0, max(sample$clock) - min(sample$clock))))
    total <- mean(sample$e^2)
    rows <- lapply(lags, function(lag) {
      pairs <- core_lag_pairs(sample$entity, sample$clock, lag)
      if (length(pairs$now) < 3) return(NULL)
      c(lag, sum(sample$e[pairs$now] * sample$e[pairs$before]) / length(pairs$now) / total,
        1.96 / sqrt(length(pairs$now)))
    })
    rows <- do.call(rbind, rows)
    # Means that were taken out leave unrelated disturbances slightly against each other.
    unrelated <- if (has_entity_effects(fit)) -1 / (mean(tabulate(sample$entity)) - 1) else 0
    panel <- sprintf("Correlation by %s apart; the line: if unrelated", plural_of(sample$moment))
    if (is.null(rows)) return(panel_rows(panel, "zero", 1, unrelated))
    rbind(panel_rows(panel, "zero", rows[1, 1], unrelated),
          panel_rows(panel, "range", rows[, 1], rows[, 2], rows[, 2] - rows[, 3], rows[, 2] + rows[, 3]))
  },
  normal = function(sample, fit, labels) {
    e <- sort(sample$e / sqrt(mean(sample$e^2)))
    n <- length(e)
    use <- if (n > 2000) unique(round(seq(1, n, length.out = 2000))) else seq_len(n)
    x <- stats::qnorm((use - 0.5) / n)
    panel <- "Quantiles against a normal law"
    rbind(panel_rows(panel, "point", x, e[use]), panel_rows(panel, "line", range(x), range(x)))
  }
)
