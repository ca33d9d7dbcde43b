// Included first by the files whose loops run over all pixels. GCC turns them
// into vector instructions only at this level, which R does not ask for, and roots
// and choices between two numbers only where neither may raise a flag. A
// function marked SPRENN_WIDE is built twice, and the processor picks: neither
// changes a result, since sums keep their order and nothing is fused.
//
// SPRENN_APART before a loop says that what it writes is none of what it reads, where there
// are too many rows to find that out on the way.
#pragma once
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3", "no-trapping-math", "no-math-errno")
#define SPRENN_APART _Pragma("GCC ivdep")
#else
#define SPRENN_APART
#endif
#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__) && defined(__gnu_linux__) && \
    !defined(__SANITIZE_ADDRESS__)
#define SPRENN_WIDE __attribute__((target_clones("avx2", "default")))
#else
#define SPRENN_WIDE
#endif
