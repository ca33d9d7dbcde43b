// Colour: sRGB, linear light, and OKLab (Ottosson 2020).
#pragma once
#include "plane.h"

namespace sprenn {

// Light is averaged in linear light, so that is where a picture is resized.
Picture oklab_from_srgb(const Picture& srgb, int width, int height);
Picture resize_srgb(const Picture& srgb, int width, int height);

Picture srgb_from_oklab(const Picture& oklab);

}  // namespace sprenn
