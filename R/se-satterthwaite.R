# Degrees of freedom by Satterthwaite's approximation.

satterthwaite_of <- function(fit, directions) {
  forms <- forms_of_directions(fit)
  vapply(seq_len(ncol(directions)), function(j) core_satterthwaite(forms(directions[, j, drop = FALSE]), 1), 0)
}

# The kept coefficients as directions of length 1 in orthonormal coordinates, a column each.
unit_contrasts <- function(fit) {
  root <- fit$regression$root
  t(root / sqrt(rowSums(root^2)))
}

# What Satterthwaite's degrees of freedom of directions are made of, where the fit's errors do not hold it: too many
# slopes. A function of directions, a column each, that gives list(own, moments) of them.
forms_of_directions <- function(fit) {
  spec <- fit$errors$spec
  dimension <- cluster_dimensions(fit, spec)[[1]]
  clusters <- cluster_groups(fit, dimension$columns)
  basis <- error_rows(fit)$basis(clusters)
  adjustment <- switch(spec$type, CR2 = "root", CR3 = "inverse", "none")
  function(directions) {
    core_adjusted_scores(replace(basis, "pick", list(basis$pick %*% directions)), clusters, adjustment, TRUE)
  }
}
