// Included first by the files whose loops run over all pixels. GCC turns them
// into vector instructions only at this level, which R does not ask for; it
// changes no result, since sums keep their order.
#pragma once
#if defined(__GNUC__) && !defined(__clang__)
#pragma GCC optimize("O3")
#endif
