# A system of effects under other weights, ten times over, beside one that is made anew: `Rscript bench/reweight.R`.
core <- asNamespace("wavetax")
set.seed(1)
n <- 1e6
sets <- lapply(list(sample(1e5, n, TRUE), sample(100, n, TRUE)), function(codes) {
  core$core_effect_set(core$core_groups(codes))
})
took <- function(expr) system.time(expr)[[3]]
system <- core$core_effect_system(sets, n, runif(n))
weights <- replicate(10, runif(n), simplify = FALSE)
again <- vapply(weights, function(w) took(system <<- core$core_reweight(system, w)), 0)
anew <- vapply(weights, function(w) took(core$core_release(core$core_effect_system(sets, n, w))), 0)
cat(sprintf("reweighted: first %.3f s, tenth %.3f s, median %.3f s; made anew: median %.3f s\n", again[1], again[10],
            median(again), median(anew)))
