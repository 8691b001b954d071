test_that("joint tests refer to what the fit's errors do", {
  panel <- harbour_panel()
  fit <- fit_fixed(harbour_equation, panel)
  smaller <- fit_fixed(log(nights) ~ levy, panel, errors = se_classical())
  classical <- test_joint(with_errors(fit, se_classical()), c("storms", "fuel"))
  expect_equal(unname(classical$statistic), anova(smaller, with_errors(fit, se_classical()))$F[2], tolerance = 1e-8)
  wald <- function(fit) {
    b <- coef(fit)[c("storms", "fuel")]
    drop(b %*% solve(vcov(fit)[names(b), names(b)], b))
  }
  coast <- with_errors(fit, se_clustered(~coast))
  joint <- test_joint(coast, c("storms", "fuel"))
  expect_equal(unname(joint$statistic), wald(coast) * (5 - 2) / (4 * 2), tolerance = 1e-8)
  expect_equal(unname(joint$parameter), c(2, 3))
  one <- test_joint(coast, "fuel")
  expect_equal(one$p.value, as.data.frame(coast)$p_value[3], tolerance = 1e-8)
  honest <- with_errors(fit, se_clustered(~coast, "CR2", "satterthwaite"))
  expect_equal(test_joint(honest, "fuel")$p.value, as.data.frame(honest)$p_value[3], tolerance = 1e-8)
  many <- fit_fixed(log(nights) ~ levy + storms + fuel + relief + rescues, panel, errors = se_clustered(~coast))
  expect_error(test_joint(many), "5 clusters for 5", class = "wavetax_error_too_few_clusters")
  expect_error(test_joint(fit, "fule"), class = "wavetax_error_unknown_term")
})
