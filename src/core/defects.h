// Defects of rendering and of saving, seen in luma at a picture's own size.
#pragma once
#include "plane.h"

namespace sprenn {

struct Defects {
  // Width in pixels of the sharpest twentieth of all clear contours, across or down,
  // whichever is wider (after Marziliano
  // et al. 2002); 0 where there are too few to say.
  double blur = 0.0;
  // Standard deviation of the grain (Immerkaer 1996) of luma from 0 to 1, in blocks of
  // 16 px.
  Plane grain;
  // How strong lonely steps are that come at one pitch of 5 to 17 px, as a multiple of all
  // there are: the lesser of both ways.
  double blocks = 0.0;
};
Defects find_defects(const Plane& luma);

// The grain of one picture in the seventh of its blocks where another, of the same
// shape, is plainest.
double graininess(const Defects& own, const Defects& plain);

// The same of the middle one of all its blocks: how busy it usually is.
double usual_grain(const Defects& own);

}  // namespace sprenn
