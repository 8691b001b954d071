# Figures: what is drawn is what the fits say, at the size asked for.
inside <- asNamespace("wavetax")

drawn <- function(figure, layer) ggplot2::layer_data(figure, layer)

test_that("estimates are drawn of several terms and groups, at any level", {
  panel <- harbour_panel()
  fits <- list(pooled = fit_pooled(harbour_equation, panel), fixed = fit_fixed(harbour_equation, panel))
  figure <- plot_estimates(fits, level = 0.9)
  points <- drawn(figure, 3)
  expect_equal(sort(points$x), sort(unname(c(coef(fits$pooled)[-1], coef(fits$fixed)))))
  expect_equal(sort(drawn(figure, 2)$x), sort(unname(c(confint(fits$pooled, level = 0.9)[-1, 1],
                                                       confint(fits$fixed, level = 0.9)[, 1]))))
  expect_length(unique(points$PANEL), 3)
  grouped <- drawn(plot_estimates(North = fits, South = fits["fixed"], terms = "levy"), 3)
  expect_length(unique(grouped$colour), 2)
  expect_length(unique(grouped$shape), 2)
  expect_identical(nrow(drawn(plot_estimates(fits$fixed, terms = c("stor*", "levy")), 3)), 2L)
  expect_equal(drawn(plot_estimates(fits, terms = "constant"), 3)$x, unname(c(coef(fits$pooled)[1],
                                                                              fits$fixed$coefficients$estimate[1])))
  expect_error(plot_estimates(fits, terms = "levi"), class = "wavetax_error_unknown_term")
  expect_error(plot_estimates(fits, reference = NA), class = "wavetax_error_argument")
})

test_that("the within picture has the slopes of pooled and of within rows", {
  panel <- harbour_panel()
  figure <- plot_within(log(nights) ~ levy, panel)
  slopes <- drawn(figure, length(figure$layers))$label
  shown <- as.numeric(sub("\u2212", "-", sub("slope ", "", slopes)))
  expect_equal(shown, unname(c(coef(fit_pooled(log(nights) ~ levy, panel))[2],
                               coef(fit_fixed(log(nights) ~ levy, panel)))),
               tolerance = 5e-3)
  lines <- drawn(figure, 3)
  last <- lines[lines$PANEL == 3, ]
  expect_equal(diff(last$y) / diff(last$x), unname(coef(fit_fixed(log(nights) ~ levy, panel))))
  steps <- plot_within(fit_fixed(harbour_equation, panel), regressor = "storms", entities = c("Oskavik", "Tarnholm"),
                       steps = TRUE)
  expect_length(steps, 3)
  expect_match(attr(steps[[2]], "heads")$says, "Oskavik and Tarnholm")
  many <- data.frame(id = rep(1:20000, each = 6), t = rep(1:6, 20000))
  many$x <- sin(seq_len(nrow(many))) + many$id / 1e4
  many$y <- cos(seq_len(nrow(many)))
  cells <- drawn(plot_within(y ~ x, panel_frame(many, id, t)), 1)
  expect_lte(nrow(cells), 3 * 80^2)
  expect_error(plot_within(log(nights) ~ levy, panel, entities = "Oskavig"), "Oskavik",
               class = "wavetax_error_unknown_entity")
  expect_error(plot_within(log(nights) ~ levy, harbours), class = "wavetax_error_not_a_panel")
  expect_error(plot_within(log(nights) ~ levy, panel, regressor = "storms"), class = "wavetax_error_unknown_term")
})

test_that("effects are sorted, named, and of random ones both are drawn", {
  panel <- harbour_panel()
  fixed <- fit_fixed(harbour_equation, panel)
  levels <- effect_levels(fixed)
  figure <- plot_effects(fixed, names = 2)
  expect_equal(drawn(figure, 3)$y, sort(levels$deviation))
  expect_setequal(drawn(figure, 5)$label, levels$group[order(levels$deviation)][c(1, 2, 95, 96)])
  random <- fit_random(harbour_equation, panel)
  open <- drawn(plot_effects(random, names = 0), 4)$y
  own <- effect_levels(random)
  own <- own[order(own$deviation), ]
  residual <- log(panel$nights) - predict(random, panel, effects = FALSE)
  expect_equal(open, as.vector(tapply(residual, panel$harbour, mean)[own$group]), tolerance = 1e-8)
  expect_error(plot_effects(fixed, names = "Nowhere"), class = "wavetax_error_unknown_entity")
  expect_error(plot_effects(fit_pooled(harbour_equation, panel)), class = "wavetax_error_no_effects")
})

test_that("a figure is saved at the size that it will have, its title broken to it", {
  figure <- plot_estimates(fit_fixed(harbour_equation, harbour_panel()))
  size_of <- function(file) {
    bytes <- readBin(file, "raw", 24)
    c(sum(as.integer(bytes[17:20]) * 256^(3:0)), sum(as.integer(bytes[21:24]) * 256^(3:0)))
  }
  for (size in c("page", "column", "slide")) {
    save_figure(figure, file <- tempfile(fileext = ".png"), size = size, dpi = 50, height = 2)
    expect_equal(size_of(file), c(c(page = 6.5, column = 3.4, slide = 10)[[size]], 2) * 50, tolerance = 0.02)
  }
  for (ending in c("pdf", "svg")) {
    save_figure(figure + ggplot2::labs(title = "Mine"), file <- tempfile(fileext = paste0(".", ending)))
    expect_gt(file.size(file), 1000)
  }
  long <- inside$broken_text("one two three four five six seven eight", 60, 9)
  expect_true(all(nchar(strsplit(long, "\n")[[1]]) < 16))
  expect_identical(gsub("\n", " ", long), "one two three four five six seven eight")
  changed <- figure + ggplot2::labs(title = "Mine")
  expect_identical(inside$with_heads(changed, 3, 9)$labels$title, "Mine")
  expect_error(save_figure(1, "a.png"), class = "wavetax_error_argument")
  expect_error(save_figure(figure, "a.gif"), class = "wavetax_error_format")
  expect_error(save_figure(figure, "a.png", size = "poster"), class = "wavetax_error_argument")
  expect_error(save_figure(figure, "a.png", dpi = -1), class = "wavetax_error_argument")
})

test_that("what is not there is not drawn", {
  panel <- harbour_panel()
  for (figure in list(plot_within(log(nights) ~ levy, panel, sample = 0), plot_within(log(nights) ~ pier, panel),
                      plot_effects(fit_random(harbour_equation, panel, "both")))) {
    expect_silent(save_figure(figure, tempfile(fileext = ".png"), dpi = 40))
  }
})

test_that("a figure prints on any device, its title broken to it", {
  figure <- plot_effects(fit_fixed(harbour_equation, harbour_panel()))
  grDevices::pdf(NULL, width = 3, height = 3)
  on.exit(grDevices::dev.off())
  expect_identical(print(figure), figure)
  expect_silent(print(figure + ggplot2::theme_bw()))
})

test_that("the residual page draws means, correlations and rows of the residuals, with each axis named", {
  panel <- harbour_panel()
  fit <- fit_fixed(log(nights) ~ levy + storms, panel)
  e <- residuals(fit)
  page <- plot_residuals(fit, labels = 3)
  drawn <- page$data
  of <- function(title, kind) drawn[drawn$panel == title & drawn$kind == kind, ]
  by_season <- of("Do seasons differ?", "bar")
  count <- as.vector(table(panel$season))
  error <- as.vector(tapply(e, panel$season, sd)) / sqrt(count)
  expect_equal(by_season$y, as.vector(tapply(e, panel$season, mean)))
  expect_equal(by_season$high_y, as.vector(tapply(e, panel$season, mean)) + 2 * error)
  expect_equal(by_season$low_y, as.vector(tapply(e, panel$season, mean)) - 2 * error)
  row <- match(paste(panel$harbour, panel$season - 2), paste(panel$harbour, panel$season))
  pair <- which(!is.na(row))
  second <- of("Related over time?", "bar")[2, ]
  expect_equal(second$y, mean(e[pair] * e[row[pair]]) / mean(e^2))
  expect_equal(second$high_y - second$y, 2 / sqrt(length(pair)))
  expect_equal(of("Related over time?", "zero")$low_y, -1 / (nrow(panel) / length(unique(panel$harbour)) - 1))
  expect_equal(of("Who lies farthest out?", "point")$x, unname(e[order(-abs(e))[1:3]]))
  spread <- tapply(e, as.character(panel$harbour), function(own) sqrt(mean((own - mean(own))^2)))
  expect_equal(of("Are spreads alike?", "point")$y, as.vector(sort(spread)))
  expect_match(of("Are spreads alike?", "label")$label, paste0("widest:\n", names(which.max(spread))))
  grob <- ggplot2::ggplotGrob(page)
  at <- function(name) grob$layout[startsWith(grob$layout$name, name), ]
  expect_setequal(at("name-x-")$t, at("axis-b-")$t + 1)
  expect_setequal(at("name-y-")$l, at("axis-l-")$l - 1)
  expect_identical(c(nrow(at("name-x-")), nrow(at("name-y-"))), c(6L, 6L))
  expect_identical(dim(unique(ggplot2::ggplot_build(page)$layout$layout[c("ROW", "COL")])), c(6L, 2L))
  expect_error(plot_residuals(fit, "farthest", labels = 0), class = "wavetax_error_argument")
})

test_that("effects of thousands are thinned, which is said, and those named are drawn", {
  rows <- data.frame(id = rep(1:3000, each = 2), t = rep(1:2, 3000), x = rep(c(0, 1), 3000))
  rows$y <- rows$x + rep((1:3000)^2, each = 2) + rep(c(0, 0.1, 0.1, 0), 1500)
  drawn <- plot_effects(fit_fixed(y ~ x, panel_frame(rows, id, t)), names = c("2", "2999"))
  expect_true(all(c(2, 2999) %in% drawn$data$group))
  expect_lte(nrow(drawn$data), 2002)
  expect_match(drawn$labels$subtitle, "3,000 ids [(]2,00[0-2] drawn[)]")
})
