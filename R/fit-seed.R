# Draws that leave the session's own seed as it was.

# Random numbers of their own: the session's stream is as it was.
with_own_seed <- function(seed, expr) {
  before <- get0(".Random.seed", globalenv(), inherits = FALSE)
  kind <- RNGkind()
  on.exit({
    RNGkind(kind[1], kind[2], kind[3])
    if (is.null(before)) rm(".Random.seed", envir = globalenv()) else assign(".Random.seed", before,
                                                                             envir = globalenv())
  })
  set.seed(seed, "Mersenne-Twister", "Inversion", "Rejection")
  expr
}

# Numbers that no column holds, whatever it was made of: a column drawn from the same seed would be taken for one that
# leaves nothing.
random_numbers <- function(n) with_own_seed(271828182, stats::rnorm(n) + sin(stats::runif(n, 0, 7)))
