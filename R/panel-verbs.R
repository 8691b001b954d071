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
  registerS3method("dplyr_reconstruct", "panel_frame", dplyr_reconstruct.panel_frame,
                   envir = asNamespace("dplyr"))
}
