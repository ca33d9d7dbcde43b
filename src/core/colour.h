// Colour: sRGB, linear light, and OKLab (Ottosson 2020).
#pragma once
#include <cstdint>
#include <functional>
#include <vector>

#include "plane.h"

namespace sprenn {

// Light is averaged in linear light, so that is where a picture is resized.
Picture oklab_from_srgb(const Picture& srgb, int width, int height);
// The lightness alone, of columns of sRGB values, channel after channel.
Plane lightness_of_columns(const double* srgb, int width, int height);
Picture resize_srgb(const Picture& srgb, int width, int height);

Picture srgb_from_oklab(const Picture& oklab);

// A picture as it comes, given row by row in sRGB values and in linear light: brought to a smaller
// size in OKLab, and its luma (Rec. 601, of the values as they are) at its own.
struct Intake {
  Plane luma;
  Picture oklab;
  Spot burnt;    // the share of pixels with a channel at its ceiling
  Spot crushed;  // and of those with all three at the floor
  double tones =
      0.0;  // how many of 256 tones a channel really has: the exponential of their entropy
};
using ReadRow = std::function<void(int y, float* const srgb[3], float* const linear[3])>;
void linear_row(float* row, int n);

// A row of interleaved bytes, three a pixel or one, as `ReadRow` gives it.
class ByteRows {
 public:
  ByteRows(int width, int channels);
  void read(const std::uint8_t* row, float* const srgb[3], float* const linear[3]);

 private:
  int width_, channels_;
  std::vector<std::uint8_t> split_[3];
  float light_[256];
};
Intake take_in(const ReadRow& read, int own_width, int own_height, int width, int height);
// The picture alone, in sRGB: what resize_srgb() makes of the same rows, without holding them.
Picture resize_rows(const ReadRow& read, int own_width, int own_height, int width, int height);

// A named colour: lightness, chroma, and hue in degrees, which may run past 360.
struct ColourRange {
  double light_from, light_to, chroma_from, chroma_to, hue_from, hue_to;
};
// How far an OKLab colour belongs to it, 0 to 1: fully inside, and fading out beyond.
double membership(double L, double a, double b, const ColourRange& range);

}  // namespace sprenn
