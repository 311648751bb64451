// SPDX-License-Identifier: Apache-2.0
// A picture in memory, and PNG files.
#pragma once
#include <array>
#include <cstdint>
#include <string>
#include <vector>

namespace drubble::draw {

using Rgb = std::array<double, 3>;  // 0 to 1, as displayed (sRGB)

struct Image {
  int width = 0, height = 0;
  std::vector<std::uint32_t> pixels;  // 0x00RRGGBB, rows from the top

  Image() = default;
  Image(int w, int h, std::uint32_t fill = 0)
      : width(w), height(h), pixels(static_cast<std::size_t>(w) * static_cast<std::size_t>(h), fill) {}
  std::uint32_t& at(int x, int y) {
    return pixels[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
                  static_cast<std::size_t>(x)];
  }
  void paste(const Image& other, int x, int y);
};

std::uint32_t packed(const Rgb& c);

// Throws Error(Output).
void writePng(const std::string& path, const Image& image);

// Text and boxes, drawn straight into the image. Sizes in pixels.
struct TextStyle {
  double size = 16;
  Rgb colour{1, 1, 1};
  bool bold = false;
};
struct TextSize {
  double width, height;
};
TextSize measureText(const std::string& text, const TextStyle& style);
// `x`, `y`: the left end of the base line.
void drawText(Image& image, double x, double y, const std::string& text, const TextStyle& style);
void fillBox(Image& image, double x, double y, double width, double height, const Rgb& colour,
             double opacity);

}  // namespace drubble::draw
