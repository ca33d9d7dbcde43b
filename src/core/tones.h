// Light and dark, whichever is which: what agrees in two pictures' lightness
// after any change of tones.
#pragma once
#include <cstdint>
#include <vector>

#include "plane.h"

namespace sprenn {

struct Tones {
  // Lightness at long edges of 256, 128 and 64 px.
  std::vector<Plane> levels;
  // Sums of lightness and of its square over blocks of 4 x 4 px, for each level.
  std::vector<Plane> sums;
  std::vector<Plane> squares;
  // Smoothed lightness at 128 px in 16 groups of about the same size.
  std::vector<std::uint8_t> groups;
  int width = 0;
  int height = 0;
};

Tones tones_of(const Picture& oklab);

// Mean magnitude of the correlation in windows of 8 x 8 px, windows counting by
// how much there is in them, mean over the levels; 0 to 1.
double local_correlation(const Tones& a, const Tones& b, Weighting& weight);

// Mutual information of the groups over the mean of their entropies; 0 to 1
// (Studholme, Hill and Hawkes 1999 for the idea of normalising it).
double shared_information(const Tones& a, const Tones& b, Weighting& weight);

}  // namespace sprenn
