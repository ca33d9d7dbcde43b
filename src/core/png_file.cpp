#include "png_file.h"

#include <png.h>

#include <cstring>
#include <vector>

namespace sprenn {

namespace {

// What libpng has yet to read of a file.
struct Rest {
  const std::uint8_t* at;
  std::size_t length;
};

void take_from_rest(png_structp png, png_bytep to, png_size_t wanted) {
  Rest* rest = static_cast<Rest*>(png_get_io_ptr(png));
  if (wanted > rest->length) {
    png_error(png, "the file ends early");
  }
  std::memcpy(to, rest->at, wanted);
  rest->at += wanted;
  rest->length -= wanted;
}

// libpng goes on after a warning; here nothing that it warns of is taken.
void refuse(png_structp png, png_const_charp) {
  png_longjmp(png, 1);
}

// What colours mean is read elsewhere, and libpng warns of much that is harmless there.
void skip_colour_notes(png_structp png) {
  static const png_byte notes[] = "iCCP\0gAMA\0cHRM\0sRGB";
  png_set_keep_unknown_chunks(png, PNG_HANDLE_CHUNK_NEVER, notes, 4);
}

bool is_wanted(png_structp png, png_infop info, int width, int height, int channels) {
  const int colours = channels == 3 ? PNG_COLOR_TYPE_RGB : PNG_COLOR_TYPE_GRAY;
  return png_get_image_width(png, info) == static_cast<png_uint_32>(width) &&
         png_get_image_height(png, info) == static_cast<png_uint_32>(height) &&
         png_get_bit_depth(png, info) == 8 && png_get_color_type(png, info) == colours;
}

}  // namespace

bool read_png(const std::uint8_t* file, std::size_t length, int width, int height, int channels,
              std::uint8_t* samples) {
  // What has a destructor is made before libpng may jump back over it.
  std::vector<png_bytep> rows(static_cast<std::size_t>(height));
  const std::size_t in_row = static_cast<std::size_t>(width) * static_cast<std::size_t>(channels);
  for (std::size_t y = 0; y < rows.size(); ++y) {
    rows[y] = samples + y * in_row;
  }
  Rest rest{file, length};
  png_structp png = png_create_read_struct(PNG_LIBPNG_VER_STRING, nullptr, refuse, refuse);
  if (png == nullptr) {
    return false;
  }
  png_infop info = png_create_info_struct(png);
  if (info == nullptr || setjmp(png_jmpbuf(png)) != 0) {
    png_destroy_read_struct(&png, &info, nullptr);
    return false;
  }
  skip_colour_notes(png);
  png_set_read_fn(png, &rest, take_from_rest);
  png_read_info(png, info);
  const bool wanted = is_wanted(png, info, width, height, channels);
  if (wanted) {
    png_read_image(png, rows.data());
    png_read_end(png, nullptr);
  }
  png_destroy_read_struct(&png, &info, nullptr);
  return wanted;
}

}  // namespace sprenn
