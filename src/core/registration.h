// How far the parts of a layout have moved, whatever the medium.
#pragma once
#include "orientation.h"

namespace sprenn {

// Every part of the reference is looked for in the take around its own place. 1 where all
// parts are found where they were, about a half where they have moved by 1.5 % of the long
// edge, about 0.2 where two pictures have nothing in common. How well a part is found does not
// count as long as it is found about as well as the others, only where: so a pencil drawing
// and a photograph of one layout are the same, and half a picture that was replaced is half.
double registered_agreement(const std::vector<Field>& take, const std::vector<Field>& reference,
                            const Plane* weight);

}  // namespace sprenn
