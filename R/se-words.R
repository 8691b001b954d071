# Words for standard errors, as the command line and study files take them. Each is a list of
#   door, arguments   the function of the specification, and what it is given
#   words             what is assumed, in an overview
#   kind              what its columns in tables are called
#   clusters, lags    whether it clusters, and whether a number of lags may follow
error_words <- function() {
  word <- function(door, arguments, words, kind, clusters = FALSE, lags = FALSE) {
    list(door = door, arguments = arguments, words = words, kind = kind, clusters = clusters, lags = lags)
  }
  robust <- function(type) {
    word("se_robust", list(type = type), paste("robust to unequal variances,", type), paste("robust", type))
  }
  clustered <- function(type, words, kind, df = NULL) {
    word("se_clustered", c(list(type = type), if (!is.null(df)) list(df = df)), words, kind, clusters = TRUE)
  }
  drawn <- function(scheme) {
    word("se_bootstrap", list(scheme = scheme), sprintf("%s bootstrap by --by", scheme), paste(scheme, "bootstrap"),
         clusters = TRUE)
  }
  list(
    classical = word("se_classical", list(), "one variance, unrelated", "classical"),
    robust = robust("HC1"), "robust-hc0" = robust("HC0"), "robust-hc2" = robust("HC2"), "robust-hc3" = robust("HC3"),
    "robust-hc4" = robust("HC4"),
    clustered = clustered("CR1", "by --by, CR1", "clustered"),
    "clustered-cr0" = clustered("CR0", "the same without a factor", "clustered CR0"),
    "clustered-cr3" = clustered("CR3", "each cluster left out in turn", "clustered CR3"),
    "few-clusters" = clustered("CR2", "CR2 with Satterthwaite's df", "clustered CR2", df = "satterthwaite"),
    wild = drawn("wild"), pairs = drawn("pairs"),
    serial = word("se_newey_west", list(), "Newey-West; serial-3 has 3 lags", "Newey-West", lags = TRUE),
    "cross-section" = word("se_driscoll_kraay", list(), "Driscoll-Kraay; with lags likewise", "Driscoll-Kraay",
                           lags = TRUE),
    "panel-corrected" = word("se_panel_corrected", list(), "shared shocks, by pairs of entities", "panel-corrected")
  )
}

# The call that makes the specification, with what is given besides; a column to cluster by is for those that cluster.
error_call <- function(word, by = NULL, ...) {
  given <- utils::modifyList(word$arguments, Filter(Negate(is.null), list(...)))
  as.call(c(as.name(word$door), if (!is.null(by) && word$clusters) list(by), given))
}

# A word, and the lags that it may end in: list(word, lags), NULL where there is none of that name.
error_word_of <- function(text) {
  words <- error_words()
  lags <- if (grepl("^(serial|cross-section)-[0-9]{1,6}$", text)) as.numeric(sub(".*-", "", text))
  base <- if (is.null(lags)) text else sub("-[0-9]+$", "", text)
  if (base %in% names(words)) list(word = words[[base]], lags = lags)
}
