// SPDX-License-Identifier: Apache-2.0
#include "draw/image.h"

#include <cairo.h>
#include <fmt/format.h>
#include <png.h>

#include <algorithm>
#include <cstdio>
#include <filesystem>
#include <memory>

#include "core/base/error.h"

namespace drubble::draw {

void Image::paste(const Image& other, int x, int y) {
  for (int row = 0; row < other.height && y + row < height; ++row)
    for (int column = 0; column < other.width && x + column < width; ++column)
      at(x + column, y + row) =
          other.pixels[static_cast<std::size_t>(row) * static_cast<std::size_t>(other.width) +
                       static_cast<std::size_t>(column)];
}

std::uint32_t packed(const Rgb& c) {
  std::uint32_t out = 0;
  for (const double x : c) out = (out << 8) | static_cast<std::uint32_t>(std::clamp(x, 0.0, 1.0) * 255 + 0.5);
  return out;
}

void writePng(const std::string& path, const Image& image) {
  const std::filesystem::path folder = std::filesystem::path(path).parent_path();
  std::error_code ignored;
  if (!folder.empty()) std::filesystem::create_directories(folder, ignored);
  const auto fail = [&] {
    throw Error(ErrorKind::Output, fmt::format("cannot write the picture '{}'", path));
  };
  const std::unique_ptr<FILE, int (*)(FILE*)> file(std::fopen(path.c_str(), "wb"), std::fclose);
  if (!file) fail();
  png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
  png_infop info = png_create_info_struct(png);
  std::vector<png_byte> row(static_cast<std::size_t>(image.width) * 3);
  if (setjmp(png_jmpbuf(png))) {
    png_destroy_write_struct(&png, &info);
    fail();
  }
  png_init_io(png, file.get());
  png_set_compression_level(png, 3);
  png_set_filter(png, 0, PNG_FILTER_SUB);
  png_set_IHDR(png, info, static_cast<png_uint_32>(image.width), static_cast<png_uint_32>(image.height), 8,
               PNG_COLOR_TYPE_RGB, PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
  png_write_info(png, info);
  for (int y = 0; y < image.height; ++y) {
    for (int x = 0; x < image.width; ++x) {
      const std::uint32_t p =
          image.pixels[static_cast<std::size_t>(y) * static_cast<std::size_t>(image.width) +
                       static_cast<std::size_t>(x)];
      png_byte* to = &row[static_cast<std::size_t>(x) * 3];
      to[0] = static_cast<png_byte>(p >> 16);
      to[1] = static_cast<png_byte>(p >> 8);
      to[2] = static_cast<png_byte>(p);
    }
    png_write_row(png, row.data());
  }
  png_write_end(png, nullptr);
  png_destroy_write_struct(&png, &info);
}

namespace {

// A cairo context over the image's own pixels.
class Canvas {
 public:
  explicit Canvas(Image& image)
      : surface_(cairo_image_surface_create_for_data(reinterpret_cast<unsigned char*>(image.pixels.data()),
                                                     CAIRO_FORMAT_RGB24, image.width, image.height,
                                                     image.width * 4)),
        context_(cairo_create(surface_)) {}
  ~Canvas() {
    cairo_destroy(context_);
    cairo_surface_destroy(surface_);
  }
  Canvas(const Canvas&) = delete;
  Canvas& operator=(const Canvas&) = delete;
  cairo_t* context() { return context_; }

 private:
  cairo_surface_t* surface_;
  cairo_t* context_;
};

void choose(cairo_t* c, const TextStyle& style) {
  cairo_select_font_face(c, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                         style.bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
  cairo_set_font_size(c, style.size);
}

}  // namespace

TextSize measureText(const std::string& text, const TextStyle& style) {
  Image scratch(1, 1);
  Canvas canvas(scratch);
  choose(canvas.context(), style);
  cairo_text_extents_t e;
  cairo_text_extents(canvas.context(), text.c_str(), &e);
  return {e.x_advance, style.size};
}

void drawText(Image& image, double x, double y, const std::string& text, const TextStyle& style) {
  Canvas canvas(image);
  choose(canvas.context(), style);
  cairo_set_source_rgb(canvas.context(), style.colour[0], style.colour[1], style.colour[2]);
  cairo_move_to(canvas.context(), x, y);
  cairo_show_text(canvas.context(), text.c_str());
}

void fillBox(Image& image, double x, double y, double width, double height, const Rgb& colour,
             double opacity) {
  Canvas canvas(image);
  cairo_set_source_rgba(canvas.context(), colour[0], colour[1], colour[2], opacity);
  cairo_rectangle(canvas.context(), x, y, width, height);
  cairo_fill(canvas.context());
}

}  // namespace drubble::draw
