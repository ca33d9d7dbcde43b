// The hand that made a picture: what its pixels do to their neighbours.
#pragma once
#include <string>
#include <vector>

#include "plane.h"

namespace sprenn {

// Numbers of the finest detail that is kept (a picture of at most 512 px): local binary
// patterns, steps between neighbours, runs of one tone, profiles of contours, how many
// tones and colours. In the order of hand_names().
std::vector<double> hand_numbers(const Picture& oklab);
const std::vector<std::string>& hand_names();

}  // namespace sprenn
