# Numbers as text, whatever the session's options: thousands separated, a point for decimals, exact zeros as 0.

# Decimals that show `digits` significant ones of x.
decimals_for <- function(x, digits) {
  x <- signif(x, digits) # 0.09999 is 0.100 at three digits
  size <- ifelse(x == 0 | !is.finite(x), 0, floor(log10(abs(x))))
  pmax(digits - 1 - size, 0)
}

most_decimals <- 8

format_number <- function(x, digits = 4, decimals = decimals_for(x, digits)) {
  out <- mapply(function(value, places) {
    if (is.na(value)) return("")
    if (!is.finite(value)) return(if (value > 0) "Inf" else "-Inf")
    if (value == 0) return("0")
    size <- floor(log10(abs(value)))
    if (places > most_decimals || size > 14) {
      shown <- max(0, min(15, if (places > most_decimals) size + places else digits - 1))
      return(formatC(value, format = "e", digits = shown, decimal.mark = "."))
    }
    formatC(value, format = "f", digits = places, big.mark = ",", decimal.mark = ".")
  }, x, decimals, USE.NAMES = FALSE)
  sub("^-(0(\\.0*)?)$", "\\1", as.character(out))
}

# An estimate and its interval go to the second significant digit of the standard error.
estimate_decimals <- function(estimate, std_error) {
  known <- is.finite(std_error) & std_error > 0
  ifelse(known, decimals_for(std_error, 2), decimals_for(estimate, 4))
}

format_p <- function(p) {
  ifelse(is.na(p), "", ifelse(p < 0.001, "<0.001", fixed_decimals(p, 3)))
}
