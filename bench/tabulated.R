# What the reports on sizes share: rates of many cells from monte_carlo(), and tables of them.
cores <- if (.Platform$OS.type == "unix") parallel::detectCores() else 1L

# A result of the package, NULL where it is refused.
taken <- function(result) tryCatch(suppressWarnings(result), wavetax_error = function(cnd) NULL)

# A row for each cell, estimator and term with the rate at which what is true is rejected; none where it was mostly
# refused. `make` gives the design of a cell.
rates_of_cells <- function(cells, make, estimators, draws, ..., seed = 1) {
  parts <- lapply(seq_len(nrow(cells)), function(i) {
    message(sprintf("%d of %d cells", i, nrow(cells)))
    design <- do.call(make, as.list(cells[i, , drop = FALSE]))
    found <- monte_carlo(design, estimators, draws = draws, seed = seed + i, cores = cores, ...)$table
    found$rate <- ifelse(is.na(found$term), found$rejected, found$size)
    found$rate[found$refused > draws / 2] <- NA
    data.frame(cells[i, , drop = FALSE], found, row.names = NULL)
  })
  do.call(rbind, parts)
}

percent <- function(x, digits = 1) ifelse(is.na(x), "", formatC(100 * x, format = "f", digits = digits))

markdown <- function(table, headings) {
  c(paste0("| ", paste(headings, collapse = " | "), " |"), paste0("|", strrep(" --: |", length(headings))),
    do.call(paste, c(list("|"), unname(lapply(table, function(x) paste(x, "|"))))))
}

# A line for each combination of `keys`, a column for each value of `across`.
wide_table <- function(rates, keys, headings, across) {
  place <- do.call(paste, c(unname(rates[keys]), sep = "\r"))
  first <- rates[!duplicated(place), keys, drop = FALSE]
  for (kind in unique(rates[[across]])) {
    own <- rates[[across]] == kind
    first[[kind]] <- percent(rates$rate[own][match(unique(place), place[own])])
  }
  markdown(first, c(headings, names(first)[-seq_along(keys)]))
}
