// SPDX-License-Identifier: Apache-2.0
// What is written on a picture, and pictures put together.
#pragma once
#include <string>
#include <vector>

#include "draw/stage.h"

namespace drubble::draw {

// Title, frame and time in the lower left corner.
void addCaption(Image& image, const Stage& stage, int frame);

// What the ramp's colours mean, in the lower right corner; `top_speed` in m/s.
void addSpeedLegend(Image& image, const Stage& stage, double top_speed);

// Which colour is which prototype, in the lower right corner; as many as find room.
void addPrototypeLegend(Image& image, const Stage& stage);

// What is highlighted, `name`, and that all else is grey.
struct Highlight {
  std::string name;
  std::size_t count = 0;
};
inline constexpr Rgb kHighlit{0.96, 0.42, 0.10}, kBehind{0.66, 0.67, 0.68};
void addHighlightLegend(Image& image, const Highlight& highlight);

// Pictures of one size in rows, each under its label, the title on top.
struct Panel {
  std::string label;
  Image image;
};
Image sheetOf(const std::string& title, const std::vector<Panel>& panels, int columns);

// Columns that make a sheet of `count` panels about as wide as 16:10.
int sheetColumns(std::size_t count);

// `speed` (m/s) rounded up to a short number in the setup's units a second.
double niceTop(double speed, double unit);

}  // namespace drubble::draw
