// The version of the core: that of the package it comes with, as numbers and as text.
#pragma once

#define WAVETAX_VERSION_MAJOR 0
#define WAVETAX_VERSION_MINOR 8
#define WAVETAX_VERSION_PATCH 0
#define WAVETAX_VERSION "0.8.0"
