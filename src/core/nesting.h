// How deep a text nests brackets, before a parser that recurses is given it.
#pragma once
#include <cstddef>

namespace sprenn {

// The most brackets, [ or {, that are open at any place. With `skip_strings`, those between double
// quotes don't count, and a backslash takes the next character's meaning away, as in JSON.
std::size_t deepest_nesting(const unsigned char* text, std::size_t length, bool skip_strings);

}  // namespace sprenn
