// SPDX-License-Identifier: Apache-2.0
// Memory for large arrays that are made anew in every substep. What is given back is kept for the next one:
// fresh pages cost more than what most loops do with them. Large blocks ask for large pages.
//
// Thread safe. Cost: a lock a block, and a look at what is free. What is kept comes to no more than was in
// use at one time, gaps between blocks aside; it goes back to the system with the program.
#pragma once
#include <algorithm>
#include <cstddef>
#include <iterator>
#include <new>
#include <utility>
#include <vector>

namespace drubble {

// Blocks of fewer bytes are left to the ordinary allocator.
inline constexpr std::size_t kLeastPages = std::size_t{1} << 17;

void* takePages(std::size_t bytes);  // aligned to 64 bytes; throws std::bad_alloc
void givePages(void* p, std::size_t bytes);

// Stands for elements that whoever adds them writes first: made without being cleared.
struct Unset {
  template <class T>
  operator T()
      const {  // asked for where elements might have to make room, which they never have to at the end
    return {};
  }
};

template <class T>
struct PagesAllocator {
  using value_type = T;
  PagesAllocator() = default;
  template <class U>
  PagesAllocator(const PagesAllocator<U>&) {}
  T* allocate(std::size_t n) { return static_cast<T*>(takePages(n * sizeof(T))); }
  void deallocate(T* p, std::size_t n) { givePages(p, n * sizeof(T)); }
  bool operator==(const PagesAllocator&) const { return true; }
  template <class U, class... Arguments>
  void construct(U* p, Arguments&&... arguments) {
    ::new (static_cast<void*>(p)) U(std::forward<Arguments>(arguments)...);
  }
  template <class U>
  void construct(U*, Unset) {}
};

template <class T>
using PagedVector = std::vector<T, PagesAllocator<T>>;

// A range of nothings, as iterators.
struct UnsetIterator {
  using iterator_category = std::forward_iterator_tag;
  using value_type = Unset;
  using difference_type = std::ptrdiff_t;
  using pointer = const Unset*;
  using reference = Unset;
  std::size_t at = 0;
  Unset operator*() const { return {}; }
  UnsetIterator& operator++() { return ++at, *this; }
  UnsetIterator operator++(int) { return {at++}; }
  bool operator==(const UnsetIterator&) const = default;
};

// Adds n elements, which must be written before they are read.
template <class T>
void addUnset(PagedVector<T>& v, std::size_t n) {
  v.insert(v.end(), UnsetIterator{0}, UnsetIterator{n});
}

// Things that whoever fills them writes first: made without being cleared.
template <class T>
class Raw {
 public:
  Raw() = default;
  Raw(Raw&& other) noexcept : data_(other.data_), size_(other.size_) {
    other.data_ = nullptr, other.size_ = 0;
  }
  Raw& operator=(Raw&& other) noexcept {
    std::swap(data_, other.data_);
    std::swap(size_, other.size_);
    return *this;
  }
  ~Raw() { drop(); }

  void make(std::size_t n) {
    drop();
    if (n > 0) data_ = static_cast<T*>(takePages(n * sizeof(T)));
    size_ = n;
  }
  std::size_t size() const { return size_; }
  T* data() { return data_; }
  T& operator[](std::size_t i) { return data_[i]; }
  const T& operator[](std::size_t i) const { return data_[i]; }

 private:
  void drop() {
    if (data_ != nullptr) givePages(data_, size_ * sizeof(T));
    data_ = nullptr;
    size_ = 0;
  }
  T* data_ = nullptr;
  std::size_t size_ = 0;
};

// A long Raw array in parts, which fit where others that long had not stood.
template <class T>
class Parted {
 public:
  static constexpr std::size_t kPart = 4096;  // elements

  void make(std::size_t n) {
    parts_.clear();
    size_ = n;
    for (std::size_t done = 0; done < n; done += kPart) parts_.emplace_back().make(std::min(kPart, n - done));
  }
  std::size_t size() const { return size_; }
  T& operator[](std::size_t i) { return parts_[i / kPart][i % kPart]; }
  const T& operator[](std::size_t i) const { return parts_[i / kPart][i % kPart]; }
  // The end of the part that an element stands in.
  std::size_t endOfPart(std::size_t i) const { return std::min(size_, (i / kPart + 1) * kPart); }

 private:
  std::vector<Raw<T>> parts_;
  std::size_t size_ = 0;
};

}  // namespace drubble
