# Errors clustered by period, wider by a factor for shocks that outlast a period: what the guided choice gives.

se_widened <- function(spec, factor, why) {
  structure(c(unclass(spec), list(factor = factor, why = why)), class = c("se_widened", "se_clustered", "error_spec"))
}

#' @export
compute_errors.se_widened <- function(spec, fit) {
  out <- compute_errors.se_clustered(spec, fit)
  out$meat <- spec$factor^2 * out$meat
  out$label <- paste0(out$label, ", widened")
  out$notes <- c(out$notes, sprintf("Standard errors are %s times those of the formula: %s",
                                    fixed_decimals(spec$factor, 2), spec$why))
  out
}
