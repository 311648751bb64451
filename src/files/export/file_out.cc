// SPDX-License-Identifier: Apache-2.0
#include "files/export/file_out.h"

#include <cerrno>
#include <cmath>
#include <cstring>
#include <filesystem>

#include "core/base/error.h"

namespace drubble::files {

FileOut::FileOut(const std::string& path) : path_(path) {
  namespace fs = std::filesystem;
  std::error_code ignored;
  if (const fs::path folder = fs::path(path).parent_path(); !folder.empty())
    fs::create_directories(folder, ignored);
  file_ = std::fopen((path + ".part").c_str(), "wb");
  if (file_ == nullptr) fail();
}

FileOut::~FileOut() {
  if (file_ == nullptr) return;
  std::fclose(file_);
  std::remove((path_ + ".part").c_str());
}

void FileOut::fail() {
  throw Error(ErrorKind::Output, fmt::format("cannot be written: {}", std::strerror(errno)),
              Where{path_, 0, 0, ""});
}

void FileOut::flush() {
  if (std::fwrite(buffer_.data(), 1, buffer_.size(), file_) != buffer_.size()) fail();
  buffer_.clear();
}

void FileOut::number(double x, int decimals) {
  static constexpr double kPower[] = {1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9};
  const double scaled = x * kPower[decimals];
  if (!(std::fabs(scaled) < 9e15)) {  // too large for that: as it is
    print("{:.9g}", x);
    return;
  }
  auto digits = std::llround(scaled);
  if (digits == 0) {
    text("0");
    return;
  }
  char out[32];
  int at = 32, left = decimals;
  const bool negative = digits < 0;
  if (negative) digits = -digits;
  for (; left > 0 && digits % 10 == 0; --left) digits /= 10;
  const int point = left;
  for (int n = 0; digits > 0 || n <= point; ++n) {
    if (n == point && point > 0) out[--at] = '.';
    out[--at] = static_cast<char>('0' + digits % 10);
    digits /= 10;
  }
  if (negative) out[--at] = '-';
  text(std::string_view(out + at, static_cast<std::size_t>(32 - at)));
}

void FileOut::finish() {
  flush();
  const bool closed = std::fclose(file_) == 0;
  file_ = nullptr;
  if (!closed || std::rename((path_ + ".part").c_str(), path_.c_str()) != 0) {
    std::remove((path_ + ".part").c_str());
    fail();
  }
}

}  // namespace drubble::files
