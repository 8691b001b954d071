# What all bootstraps by cluster have in common.

# The errors by formula whose t is drawn.
formula_of_bootstrap <- function(spec) {
  new_error_spec("clustered", by = spec$by, named = spec$named, type = spec$type, df = "clusters",
                 combine = "subtract")
}

# What is drawn: list(formula, the errors whose t is; clusters and their name; nested, whether each set of effects lies
# within them; alive, the clusters with rows that tell of the noise: no others are drawn).
drawn_clusters <- function(spec, fit) {
  check_keeps_rows(fit, "a bootstrap")
  formula <- compute_errors(formula_of_bootstrap(spec), fit)
  dimension <- cluster_dimensions(fit, spec)[[1]]
  clusters <- sorted_clusters(cluster_groups(fit, dimension$columns))
  check_whole_effects(fit, clusters, dimension$name)
  live <- all_live_rows(fit)
  alive <- if (is.null(live$fitted)) TRUE else tabulate(clusters$codes[-live$fitted], clusters$count) > 0
  list(formula = formula, clusters = clusters, name = dimension$name, nested = nested_effects(fit, clusters, live),
       alive = alive)
}

# Draws belong to clusters by their label, whatever the order of rows.
sorted_clusters <- function(clusters) {
  place <- order(clusters$labels, method = "radix")
  if (!is.unsorted(place)) return(clusters)
  core_groups(order(place)[clusters$codes], clusters$count, clusters$labels[place])
}

# Random effects keep their theta, which is right only for whole groups.
check_whole_effects <- function(fit, clusters, name) {
  mixed <- row_kind(fit)$mixes(fit)
  whole <- vapply(mixed, function(set) core_is_nested(set$groups, clusters), TRUE)
  if (all(whole)) return(invisible())
  set <- mixed[[which(!whole)[1]]]
  stop_wavetax(c("crossing_effects", "errors"),
               sprintf("The random effects of %s have rows in several clusters by `%s`.", set$name, name),
               todo = "Draw clusters that hold them whole, or use `se_clustered()`.")
}

draw_words <- function(wild, count) {
  if (wild$exact) sprintf("all %s patterns of %s", count_words(count), wild$kind) else
    sprintf("%s of %s", count_of(count, "draw"), wild$kind)
}

wild_words <- function(wild, count, spec) {
  if (wild$exact && count < spec$draws) {
    sprintf("All %s patterns were used, fewer than the %s asked for; p has no noise of its own", count_words(count),
            count_of(spec$draws, "draw"))
  }
}
