// Reading PNG files (ISO/IEC 15948) with libpng.
#ifndef SPRENN_PNG_FILE_H
#define SPRENN_PNG_FILE_H

#include <cstddef>
#include <cstdint>

namespace sprenn {

// Reads the samples of a PNG file of 8 bits a sample, grey (1 channel) or RGB (3), as they are
// stored: interleaved, row by row from the top, width * height * channels of them. False if the
// file is of another kind or size, or if libpng has anything to say about it.
bool read_png(const std::uint8_t* file, std::size_t length, int width, int height, int channels,
              std::uint8_t* samples);

}  // namespace sprenn

#endif
