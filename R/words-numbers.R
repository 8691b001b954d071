# Numbers as text, whatever the session's options: thousands separated, a point for decimals, exact zeros as 0.

# Decimals that show `digits` significant ones of x.
decimals_for <- function(x, digits) {
  x <- signif(x, digits) # 0.09999 is 0.100 at three digits
  size <- ifelse(x == 0 | !is.finite(x), 0, floor(log10(abs(x))))
  pmax(digits - 1 - size, 0)
}

most_decimals <- 8

format_number <- function(x, digits = 4, decimals = decimals_for(x, digits)) {
  decimals <- rep_len(decimals, length(x))
  size <- ifelse(is.finite(x) & x != 0, floor(log10(abs(x))), 0)
  out <- ifelse(is.na(x), "", ifelse(x > 0, "Inf", "-Inf"))
  usual <- is.finite(x)
  powers <- usual & x != 0 & (decimals > most_decimals | size > 14)
  shown <- pmax(0, pmin(15, ifelse(decimals > most_decimals, size + decimals, digits - 1)))
  # Numbers of as many decimals are made at once.
  put <- function(at, places, ...) {
    for (one in unique(places[at])) {
      of <- at & places == one
      out[of] <<- formatC(x[of], digits = one, decimal.mark = ".", ...)
    }
  }
  put(powers, shown, format = "e")
  put(usual & !powers, decimals, format = "f", big.mark = ",")
  out[usual & x == 0] <- "0"
  sub("^-(0(\\.0*)?)$", "\\1", trimws(out))
}

# An estimate and its interval go to the second significant digit of the standard error.
estimate_decimals <- function(estimate, std_error) {
  known <- is.finite(std_error) & std_error > 0
  ifelse(known, decimals_for(std_error, 2), decimals_for(estimate, 4))
}

format_p <- function(p) {
  ifelse(is.na(p), "", ifelse(p < 0.001, "<0.001", fixed_decimals(p, 3)))
}
