// How far the parts of a layout have moved, whatever the medium.
#pragma once
#include "orientation.h"

namespace sprenn {

// Every part of the reference is looked for in the take around its own place. 1 where all
// parts are found where they were, about a half where they have moved by 1.5 % of the long
// edge, kStrangers where two pictures have nothing in common. How well a part is found does
// not count, only where: so a pencil drawing and a photograph of one layout are the same.
double registered_agreement(const std::vector<Field>& take, const std::vector<Field>& reference, const Plane* weight);

}  // namespace sprenn
