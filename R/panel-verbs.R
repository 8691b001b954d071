# Verbs of other packages that keep a panel frame while its keys are there.

#' @export
merge.panel_frame <- function(x, y, ...) {
  index <- panel_index(x)
  check_is_table(y)
  y <- if (is_panel_frame(y)) plain_data_frame_keeping_names(y) else y
  out <- tryCatch(merge(plain_data_frame_keeping_names(x), y, ...), error = function(cnd) {
    stop_wavetax("merge", "The tables cannot be merged.", where = conditionMessage(cnd),
                 todo = "`panel_join()` brings columns in by the panel's keys.")
  })
  restore_panel(out, index)
}

# Called by dplyr's verbs on their results.
dplyr_reconstruct.panel_frame <- function(data, template) {
  index <- attr(template, "panel", exact = TRUE)
  restore_panel(as.data.frame(data), index)
}

register_dplyr <- function(...) {
  methods <- list(dplyr_reconstruct = dplyr_reconstruct.panel_frame, group_by = group_by.panel_frame,
                  mutate = verb_on_panel, transmute = verb_on_panel, filter = verb_on_panel)
  for (generic in names(methods)) {
    registerS3method(generic, "panel_frame", methods[[generic]], envir = asNamespace("dplyr"))
  }
}

# The panel's operators know the rows within dplyr's verbs too, and what runs along the rows is told: the method of each
# of them.
verb_on_panel <- function(.data, ...) {
  warn_across_rows(rlang::enquos(...), .data)
  with_current_panel(.data, NextMethod())
}

group_by.panel_frame <- function(.data, ...) {
  index <- panel_index(.data)
  # Other verbs group too, for a moment.
  if (!identical(topenv(parent.frame()), asNamespace("dplyr"))) tell_wavetax(c(
    "A grouped table is no panel frame.",
    i = sprintf("After `ungroup()` declare it again: `panel_frame(data, %s, %s)`.", code_name(index$entity),
                code_name(index$period))
  ), "wavetax_message_no_panel")
  NextMethod()
}

warn_across_rows <- function(quos, data) {
  index <- panel_index(data)
  for (quo in quos) {
    for (inner in calls_in(rlang::quo_get_expr(quo))) {
      name <- call_name(inner)
      if (!name %in% c("lag", "lead", "diff")) next
      meant <- c(lag = "past", lead = "ahead", diff = "change")[[name]]
      variable <- if (length(inner) > 1) deparse_words(inner[[2]]) else "x"
      warn_wavetax(
        "row_order", sprintf("`%s` runs along the rows, from one %s into the next.", short_text(deparse_words(inner)),
                             index$entity), todo = sprintf("`%s(%s)` keeps to each, and to the clock.", meant, variable)
      )
    }
  }
}

# Columns beside those of a panel.
#' @export
cbind.panel_frame <- function(..., deparse.level = 1) {
  parts <- list(...)
  first <- Position(is_panel_frame, parts)
  index <- panel_index(parts[[first]])
  parts <- lapply(parts, function(part) if (is_panel_frame(part)) plain_data_frame_keeping_names(part) else part)
  restore_panel(do.call(cbind, c(parts, list(deparse.level = deparse.level))), index)
}
