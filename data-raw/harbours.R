# Makes the demo world: 96 invented harbours on five invented coasts, which levy a
# wave tax on visiting boats, seasons 2009 to 2020. Run from the repository's root:
#   Rscript data-raw/harbours.R
# Writes data/harbours.rda and three CSV files and a spreadsheet under inst/extdata/.
#
# The truth:
#   log(nights) = 7 + a_i + g_t - 0.05 levy - 0.01 storms - 0.20 fuel
#                 + 0.30 log(berths) + 0.10 pennant + e_it
#   a_i    what is fixed about a harbour; pleasant harbours have more of it *and*
#          charge a higher levy, so pooling sees a positive slope of the levy
#   e_it   first-order autocorrelation 0.4, with a standard deviation of the
#          harbour's own
#   berths answers to demand (to a_i and e_it) and to relief
#   relief (the share of dredging cost repaid) moves berths and nothing else

set.seed(20090601)

harbours_n <- 96
seasons <- 2009:2020
periods_n <- length(seasons)
cells <- expand.grid(t = seq_len(periods_n), i = seq_len(harbours_n))
i <- cells$i
t <- cells$t

# Who they are
starts <- c("Oska", "Tarn", "Brelli", "Vusk", "Sorra", "Lumme", "Haske", "Ytra", "Grindo",
            "Kvorra", "Mellu", "Drusa", "Fenno", "Skelda", "Ormu", "Pelka", "Tovra", "Wenzo")
ends <- c("vik", "holm", "mar", "sey", "wold", "dune", "port")
names_all <- outer(starts, ends, paste0)
names_kept <- c("Oskavik", "Tarnholm")
names_i <- sort(c(names_kept, sample(setdiff(names_all, names_kept), harbours_n - 2)))
coasts <- c("Brindle", "Ember", "Quillon", "Tallow", "Vesper")
coast_i <- sample(rep(coasts, length.out = harbours_n))
pleasant_i <- rnorm(harbours_n)
pier_i <- round(exp(rnorm(harbours_n, 5.2, 0.5)))
sheltered_i <- as.integer(runif(harbours_n) < plogis(0.3 + 0.5 * pleasant_i))
a_i <- 0.5 * pleasant_i + 0.15 * sheltered_i + rnorm(harbours_n, 0, 0.25)

# What moves them
storms_rate <- exp(rnorm(harbours_n, 2.3, 0.3))
storms <- rpois(nrow(cells), storms_rate[i] * exp(rnorm(periods_n, 0, 0.2))[t])
fuel_walk <- sapply(coasts, function(coast) 1 + cumsum(rnorm(periods_n, 0.02, 0.06)))
fuel <- round(fuel_walk[cbind(t, match(coast_i[i], coasts))], 3)
autoregression <- function(n, rho, sd) {
  as.numeric(stats::filter(c(rnorm(1, 0, sd / sqrt(1 - rho^2)), rnorm(n - 1, 0, sd)), rho, "recursive"))
}
levy_walk <- unlist(lapply(seq_len(harbours_n), function(h) autoregression(periods_n, 0.6, 1.2)))
levy <- round(pmax(1, 11 + 2.6 * pleasant_i[i] + levy_walk), 1)
relief <- round(pmin(0.9, pmax(0, runif(harbours_n, 0.1, 0.6)[i] + rnorm(nrow(cells), 0, 0.12))), 2)
pennant <- as.integer(runif(nrow(cells)) < plogis(-1.2 + 0.6 * pleasant_i[i]))
spread_i <- exp(rnorm(harbours_n, log(0.17), 0.4))
e <- spread_i[i] * unlist(lapply(seq_len(harbours_n), function(h) {
  autoregression(periods_n, 0.4, sqrt(1 - 0.4^2))
}))
berths <- round(exp(4 + 0.4 * a_i[i] + 0.5 * e + 0.9 * (relief - 0.35) + rnorm(nrow(cells), 0, 0.08)))
g_t <- rnorm(periods_n, 0, 0.05)

log_nights <- 7 + a_i[i] + g_t[t] - 0.05 * levy - 0.01 * storms - 0.20 * fuel +
  0.30 * log(berths) + 0.10 * pennant + e
full <- data.frame(
  harbour = names_i[i], coast = coast_i[i], season = seasons[t],
  nights = round(exp(log_nights)), levy = levy, storms = storms, fuel = fuel, berths = berths,
  relief = relief, rescues = rpois(nrow(cells), 0.25 * storms), pennant = pennant,
  pier = pier_i[i], sheltered = sheltered_i[i]
)

# Who is seen when: some open late, some close, a few have gaps.
opens <- rep(1L, harbours_n)
closes <- rep(periods_n, harbours_n)
movers <- sample(harbours_n, 24)
opens[movers[1:13]] <- sample(2:7, 13, replace = TRUE)
closes[movers[12:24]] <- sample(8:11, 13, replace = TRUE)
gap_of <- sample(setdiff(seq_len(harbours_n), movers), 7)
gap_at <- sample(3:9, 7, replace = TRUE)
gap_long <- c(1, 1, 1, 2, 2, 1, 3)
seen <- t >= opens[i] & t <= closes[i]
for (g in seq_along(gap_of)) {
  seen[i == gap_of[g] & t >= gap_at[g] & t < gap_at[g] + gap_long[g]] <- FALSE
}
harbours <- full[seen, ]
rownames(harbours) <- NULL

dir.create("data", showWarnings = FALSE)
dir.create("inst/extdata", recursive = TRUE, showWarnings = FALSE)
save(harbours, file = "data/harbours.rda", compress = "xz", version = 3)
write_csv <- function(data, file) {
  utils::write.csv(data, file.path("inst/extdata", file), row.names = FALSE, quote = FALSE, na = "")
}
write_csv(harbours, "harbours.csv")

# Wages by coast and year, unrelated to all else, under the names that their office gives them.
set.seed(5)
wages <- expand.grid(shore = sort(unique(harbours$coast)), year = seasons)
wages$wage <- round(100 + 2 * (wages$year - min(seasons)) + stats::rnorm(nrow(wages), 0, 5), 1)
write_csv(wages, "wages.csv")
workbook <- openxlsx::buildWorkbook(harbours, sheetName = "harbours")
workbook$core <- gsub("[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9:]*Z", "2021-01-01T00:00:00Z", workbook$core)
openxlsx::saveWorkbook(workbook, "inst/extdata/harbours.xlsx", overwrite = TRUE)

# Wide: a row a harbour, a column for each variable and season.
fixed_columns <- c("harbour", "coast", "pier", "sheltered")
moving_columns <- c("nights", "levy", "storms")
wide <- stats::reshape(
  harbours[c(fixed_columns, "season", moving_columns)], direction = "wide", sep = "_",
  idvar = "harbour", timevar = "season", v.names = moving_columns
)
by_season <- paste0(rep(moving_columns, each = periods_n), "_", seasons)
write_csv(wide[c(fixed_columns, by_season)], "harbours-wide.csv")

# Raw, as people get it: columns out of order, repeated keys, one harbour spelt two
# ways, missing keys, "n/a" and decimal commas among the numbers.
raw <- harbours
raw[] <- lapply(raw, as.character)
osk <- which(raw$harbour == "Oskavik")
raw$harbour[osk[7:length(osk)]] <- "Oskav\u00edk"
raw$nights[c(57, 311)] <- "n/a"
raw$levy[c(120, 121, 122)] <- sub(".", ",", sprintf("%.1f", harbours$levy[c(120, 121, 122)]), fixed = TRUE)
raw$harbour[402] <- ""
raw$season[640] <- ""
again <- raw[c(88, 203), ] # the same row twice
differs <- raw[515, ] # the same key with another value
differs$nights <- as.character(round(1.1 * harbours$nights[515]))
raw <- rbind(raw[1:203, ], again, raw[204:515, ], differs, raw[516:nrow(raw), ])
raw <- raw[c("season", "harbour", "nights", "levy", "coast", "berths", "storms", "fuel", "pennant",
             "relief", "rescues", "sheltered", "pier")]
connection <- file("inst/extdata/harbours-raw.csv", "w", encoding = "UTF-8")
quoted <- raw
quoted$levy <- ifelse(grepl(",", quoted$levy), paste0('"', quoted$levy, '"'), quoted$levy)
utils::write.csv(quoted, connection, row.names = FALSE, quote = FALSE)
close(connection)
