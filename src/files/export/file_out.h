// SPDX-License-Identifier: Apache-2.0
// A file that is written bit by bit and appears under its name only when it is whole.
#pragma once
#include <fmt/format.h>

#include <cstdio>
#include <iterator>
#include <string>

namespace drubble::files {

class FileOut {
 public:
  // Makes the folder of `path`. Throws Error(Output).
  explicit FileOut(const std::string& path);
  ~FileOut();  // takes away what was not finished
  FileOut(const FileOut&) = delete;
  FileOut& operator=(const FileOut&) = delete;

  template <class... Args>
  void print(fmt::format_string<Args...> form, Args&&... args) {
    fmt::format_to(std::back_inserter(buffer_), form, std::forward<Args>(args)...);
    spill();
  }
  void text(std::string_view t) {
    buffer_.append(t.data(), t.data() + t.size());
    spill();
  }
  // Rounded to so many decimals, without zeros at its end: the shortest that is near enough.
  void number(double x, int decimals);
  void raw(const void* data, std::size_t bytes) {
    const char* from = static_cast<const char*>(data);
    buffer_.append(from, from + bytes);
    spill();
  }
  void finish();

 private:
  void spill() {
    if (buffer_.size() > (1u << 18)) flush();
  }
  void flush();
  [[noreturn]] void fail();

  std::string path_;
  std::FILE* file_ = nullptr;
  fmt::memory_buffer buffer_;
};

}  // namespace drubble::files
