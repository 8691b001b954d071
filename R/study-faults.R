# What is wrong in a study file: a fault a line, found in rounds and told together.
#   line    of the file, NA where it is of no line
#   key     the path of the key, "fits / two-way / effects"
#   kind    a word for programs
#   found   in a sentence or two
#   near    what was nearly written, "" for none

# A fault where it is found: the round that looks goes on.
study_fault <- function(at, kind, found, near = character(), quote = "`") {
  words <- if (length(near) > 0) paste0(found, sprintf(" Did you mean %s?",
                                                       list_or(paste0(quote, near, quote)))) else found
  fault <- data.frame(line = at$line, key = path_words(at$path), kind = kind, found = visible_text(words),
                      near = paste(near, collapse = ", "))
  rlang::signal("", class = "wavetax_study_fault", fault = fault)
  invisible(faulty())
}

# What stands where a value could not be read.
faulty <- function() structure(list(), class = "study_faulty")
is_faulty <- function(x) inherits(x, "study_faulty")

# The value of a round, and its faults in the order of lines.
collect_faults <- function(round) {
  held <- new.env(parent = emptyenv())
  held$faults <- list()
  value <- withCallingHandlers(round, wavetax_study_fault = function(cnd) {
    held$faults[[length(held$faults) + 1L]] <- cnd$fault
  })
  if (length(held$faults) == 0) return(list(value = value))
  faults <- unique(do.call(rbind, held$faults))
  list(value = value, faults = faults[order(faults$line), , drop = FALSE])
}

# A round that must find none.
checked_round <- function(round, file) {
  done <- collect_faults(round)
  if (NROW(done$faults) > 0) stop_study(file, done$faults)
  done$value
}

stop_study <- function(file, faults) {
  rownames(faults) <- NULL
  n <- nrow(faults)
  shown <- utils::head(faults, most_faults)
  place <- ifelse(is.na(shown$line), "", sprintf(":%s", shown$line))
  lines <- sprintf("%s%s: %s", basename(file), place, shown$found)
  if (n > most_faults) lines <- c(lines, sprintf("And %s more.", count_words(n - most_faults)))
  head <- sprintf("The study has %s; nothing was run.", count_of(n, "fault"))
  rlang::abort(c(head, bullets(lines, "x")), class = c("wavetax_error_study", "wavetax_error"), call = NULL,
               faults = faults, file = file)
}

# As many as are told at once.
most_faults <- 30

path_words <- function(path) paste(path, collapse = " / ")

# Where something stands: its path and line.
new_place <- function(path, line) list(path = path, line = line)
