# The sample of a fit as values: what is printed, tabulated and counted of it. A list of
#   entities, periods   how many of each the rows in use have; NA where the data name none
#   first, last         the first and the last period
#   balanced            whether each entity has a row in each of the periods
sample_facts <- function(fit) {
  design <- fit$design
  if (!is.null(design$sample)) return(design$sample)
  if (!is.null(design$between)) return(list(entities = fit$n, periods = NA_integer_))
  if (is.null(design$index)) return(list(entities = NA_integer_, periods = NA_integer_))
  sizes <- tabulate(used_index(design)$entity)
  sizes <- sizes[sizes > 0]
  periods <- used_periods(design)
  list(entities = length(sizes), periods = length(periods), first = design$index$periods[min(periods)],
       last = design$index$periods[max(periods)], balanced = all(sizes == length(periods)))
}
