// The directions of a picture's contours, whatever their contrast and colour.
#pragma once
#include <vector>

#include "plane.h"

namespace sprenn {

// One scale of a double-angle field: a contour at angle t is held as
// (cos 2t, sin 2t) times how clearly and how strongly it stands out locally,
// so that a contour and its negative are the same.
struct Field {
  Plane cosine;
  Plane sine;
};

// Contours and outlines are looked for at this long edge.
constexpr int kContourEdge = 384;

// Fields at contour widths of about 1.5, 3 and 6 px of a picture of that size.
std::vector<Field> orientation_fields(const Picture& oklab);

// The weighted cosine of two fields, as the mean over the scales. A field without any contour
// agrees with nothing. With `mirrored` the second is taken as if its picture had been mirrored.
double orientation_agreement(const std::vector<Field>& a, const std::vector<Field>& b,
                             Weighting& weight, bool mirrored = false);

// The same around each pixel of the first scale, -1 to 1, and how much contour
// there is to speak of, 0 to 1.
struct AgreementMap {
  Plane agreement;
  Plane presence;
};
AgreementMap agreement_map(const std::vector<Field>& a, const std::vector<Field>& b);
// The same as a small picture of the whole: agreement times presence in each of its pixels.
Plane small_agreement(const std::vector<Field>& a, const std::vector<Field>& b, int width,
                      int height);

// Sums of a row of two fields: their products, and the squares of each.
struct RowSums {
  double dot = 0.0, a = 0.0, b = 0.0;
};
// `weight` may be none. With `mirrored` the second is read from its end at `w - 1`.
RowSums sums_of_rows(const float* ac, const float* as, const float* bc, const float* bs,
                     const float* weight, bool mirrored, int w);

}  // namespace sprenn
