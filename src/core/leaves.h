// Pictures of nothing in particular, to tell what chance looks like.
#pragma once
#include <cstdint>

#include "plane.h"

namespace sprenn {

// A "dead leaves" picture: overlapping discs and boxes whose sizes follow a
// power law, which gives the contour statistics of photographs (Lee, Mumford
// and Huang 2001), lit from above. In sRGB.
Picture dead_leaves(int width, int height, std::uint64_t seed);

}  // namespace sprenn
