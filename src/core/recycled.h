// Memory for planes. A picture's features come and go in dozens of planes of the same few
// sizes: a block given back is kept for the next of its size, for one fresh from the system
// costs more in page faults than the sums that fill it. Nor is it filled with zeros where
// every value will be written.
#pragma once
#include <cstddef>
#include <cstdlib>
#include <limits>
#include <new>
#include <utility>

namespace sprenn {

void* take_block(std::size_t bytes);
void give_block(void* block, std::size_t bytes) noexcept;

template <typename T>
struct Recycled {
  using value_type = T;
  Recycled() = default;
  template <typename U>
  Recycled(const Recycled<U>&) {}
  T* allocate(std::size_t n) {
    if (n > std::numeric_limits<std::size_t>::max() / sizeof(T))
      throw std::bad_alloc();
    return static_cast<T*>(take_block(n * sizeof(T)));
  }
  void deallocate(T* block, std::size_t n) noexcept { give_block(block, n * sizeof(T)); }
  template <typename U>
  void construct(U* at) {
    ::new (static_cast<void*>(at)) U;  // no braces: what is there stays
  }
  template <typename U, typename... Given>
  void construct(U* at, Given&&... given) {
    ::new (static_cast<void*>(at)) U(std::forward<Given>(given)...);
  }
  friend bool operator==(const Recycled&, const Recycled&) { return true; }
  friend bool operator!=(const Recycled&, const Recycled&) { return false; }
};

}  // namespace sprenn
