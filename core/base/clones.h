#pragma once

/// Compiles a hot free function once per processor level and picks at start. Levels, never a
/// processor model: a model's clone is skipped on newer processors that have the same instructions.
#if defined(PATHMARK_NO_CLONES) || !defined(__x86_64__)
#define PATHMARK_CLONES
#else
#define PATHMARK_CLONES                                                                            \
    __attribute__((target_clones("default", "arch=x86-64-v3", "arch=x86-64-v4")))
#endif
