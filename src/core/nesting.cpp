#include "nesting.h"

#include <algorithm>

namespace sprenn {

std::size_t deepest_nesting(const unsigned char* text, std::size_t length, bool skip_strings) {
  std::size_t open = 0;
  std::size_t deepest = 0;
  bool in_string = false;
  for (std::size_t i = 0; i < length; ++i) {
    const unsigned char one = text[i];
    if (in_string && one == '\\') {
      ++i;
    } else if (skip_strings && one == '"') {
      in_string = !in_string;
    } else if (in_string) {
      continue;
    } else if (one == '[' || one == '{') {
      deepest = std::max(deepest, ++open);
    } else if ((one == ']' || one == '}') && open > 0) {
      --open;
    }
  }
  return deepest;
}

}  // namespace sprenn
