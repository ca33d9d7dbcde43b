// What a picture's manner looks like, whatever it shows.
#pragma once
#include <string>
#include <vector>

#include "plane.h"

namespace sprenn {

// The names of the entries of style_vector(), in its order.
const std::vector<std::string>& style_names();

// Palette, tones, texture and line of a picture given in OKLab, measured at a
// long edge of 256 px.
std::vector<double> style_vector(const Picture& oklab);

}  // namespace sprenn
