// How far the parts of a layout have moved, whatever the medium.
#pragma once
#include "orientation.h"

namespace sprenn {

// Every part of the reference is looked for in the take around its own place. 1 where all
// parts are found where they were, a half where they have moved by about 2.4 % of the long
// edge, near 0 where nothing is found. How well a part is found does not count, only where:
// so a pencil drawing and a photograph of one layout are the same.
double registered_agreement(const std::vector<Field>& take, const std::vector<Field>& reference, const Plane* weight);

}  // namespace sprenn
