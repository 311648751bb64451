// SPDX-License-Identifier: Apache-2.0
#include "draw/caption.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "draw/render.h"

namespace drubble::draw {

namespace {

constexpr Rgb kInk{0.10, 0.11, 0.13};
constexpr Rgb kPaper{0.96, 0.96, 0.95};

// Sizes follow the picture's height.
double scaleOf(const Image& image) { return std::max(0.55, image.height / 800.0); }

}  // namespace

void addCaption(Image& image, const Stage& stage, int frame) {
  const double s = scaleOf(image);
  const std::string title = stage.title.empty() ? "untitled" : stage.title;
  const std::string line = fmt::format("frame {}   {:.2f} s", frame, (frame - stage.first_frame) / stage.fps);
  const TextStyle large{19 * s, kPaper, true}, small{15 * s, kPaper, false};
  const double width = std::max(measureText(title, large).width, measureText(line, small).width) + 28 * s;
  fillBox(image, 16 * s, image.height - 74 * s, width, 58 * s, kInk, 0.72);
  drawText(image, 30 * s, image.height - 50 * s, title, large);
  drawText(image, 30 * s, image.height - 26 * s, line, small);
}

void addSpeedLegend(Image& image, const Stage& stage, double top_speed) {
  const double s = scaleOf(image), width = 260 * s, bar = width - 32 * s;
  const double x = image.width - width - 16 * s, y = image.height - 74 * s;
  fillBox(image, x, y, width, 58 * s, kInk, 0.72);
  const int steps = std::max(2, static_cast<int>(bar));
  for (int i = 0; i < steps; ++i)
    fillBox(image, x + 16 * s + bar * i / steps, y + 27 * s, bar / steps + 0.5, 11 * s,
            rampColour(static_cast<double>(i) / (steps - 1)), 1);
  const TextStyle style{13 * s, kPaper, false};
  drawText(image, x + 16 * s, y + 19 * s, fmt::format("speed, {}/s", stage.units), style);
  for (const double share : {0.0, 0.5, 1.0}) {
    const std::string text = fmt::format("{:.3g}{}", share * top_speed / stage.unit, share == 1 ? " +" : "");
    const double w = measureText(text, style).width;
    drawText(image, x + 16 * s + share * bar - share * w, y + 52 * s, text, style);
  }
}

namespace {

constexpr std::size_t kMostNamed = 12;

// In the lower right corner, as many as find room.
void addEntries(Image& image, std::vector<std::pair<Rgb, std::string>> entries) {
  const double s = scaleOf(image), row = 21 * s;
  const TextStyle style{13 * s, kPaper, false};
  double width = 0;
  for (const auto& [colour, text] : entries) width = std::max(width, measureText(text, style).width);
  const auto most = static_cast<std::size_t>(std::max(0.0, (0.5 * image.height) / row));
  if (entries.size() > most) entries.resize(most);
  if (entries.empty()) return;
  const double height = row * static_cast<double>(entries.size()) + 14 * s;
  const double x = image.width - width - 62 * s, y = image.height - height - 16 * s;
  fillBox(image, x, y, width + 46 * s, height, kInk, 0.72);
  for (std::size_t i = 0; i < entries.size(); ++i) {
    const double at = y + 7 * s + row * static_cast<double>(i);
    fillBox(image, x + 12 * s, at + 4 * s, 13 * s, 13 * s, entries[i].first, 1);
    drawText(image, x + 33 * s, at + 15.5 * s, entries[i].second, style);
  }
}

}  // namespace

void addHighlightLegend(Image& image, const Highlight& highlight) {
  addEntries(image,
             {{kHighlit, fmt::format("{} ({})", highlight.name, highlight.count)}, {kBehind, "all else"}});
}

void addPrototypeLegend(Image& image, const Stage& stage) {
  std::vector<std::pair<Rgb, std::string>> entries;
  struct Named {
    Rgb colour;
    std::string name;
    std::ptrdiff_t count;
  };
  std::vector<Named> named;
  for (std::uint32_t m = 0; m < stage.meshes.size(); ++m) {
    const auto n = std::count_if(stage.pieces.begin(), stage.pieces.end(),
                                 [&](const StagePiece& p) { return p.dynamic && p.mesh == m && !p.felt; });
    if (n == 0 || !stage.meshes[m].show) continue;
    // One name, one line: sizes of a thing are meshes of their own.
    const auto same = [&](const Named& x) { return x.name == stage.meshes[m].name; };
    const auto at = std::find_if(named.begin(), named.end(), same);
    if (at != named.end())
      at->count += n;
    else
      named.push_back({stage.meshes[m].colour, stage.meshes[m].name, n});
  }
  for (const Named& x : named) entries.emplace_back(x.colour, fmt::format("{} ({})", x.name, x.count));
  if (entries.size() > kMostNamed) entries.clear();  // colours come round again: a list says nothing
  if (stage.compares) {
    entries.emplace_back(kProudColour, "shape stands proud");
    entries.emplace_back(kSticksOutColour, "mesh sticks out");
  }
  if (stage.marks) {
    entries.emplace_back(kMarkColour, "joint, its axis");
    entries.emplace_back(kRangeColour, "its limits");
  }
  if (stage.bonds) {
    if (stage.stress) {
      constexpr std::array<const char*, 4> kBears = {"bonds that bear under a quarter of their strength",
                                                     "a quarter to a half", "a half to three quarters",
                                                     "more"};
      for (std::size_t k = 0; k < kBears.size(); ++k) entries.emplace_back(kStressColours[k], kBears[k]);
    } else {
      entries.emplace_back(kHoldsColour, "bonds that hold");
      entries.emplace_back(kWeakColour, "weak ones: under half the median");
    }
    entries.emplace_back(kBrokenColour, "broken ones");
  }
  entries.insert(entries.end(), stage.legend.begin(), stage.legend.end());
  addEntries(image, std::move(entries));
}

Image sheetOf(const std::string& title, const std::vector<Panel>& panels, int columns) {
  const int w = panels.front().image.width, h = panels.front().image.height, gap = 14, strip = 26,
            head = title.empty() ? gap : 54;
  const int rows = (static_cast<int>(panels.size()) + columns - 1) / columns;
  Image out(columns * (w + gap) + gap, rows * (h + strip + gap) + head, packed(kPaper));
  if (!title.empty()) drawText(out, gap, 36, title, {22, kInk, true});
  for (std::size_t i = 0; i < panels.size(); ++i) {
    const int x = gap + static_cast<int>(i) % columns * (w + gap),
              y = head + static_cast<int>(i) / columns * (h + strip + gap);
    drawText(out, x + 1, y + 18, panels[i].label, {15, kInk, false});
    out.paste(panels[i].image, x, y + strip);
  }
  return out;
}

int sheetColumns(std::size_t count) {
  int columns = 1;
  while (static_cast<std::size_t>(columns * columns) < count) ++columns;
  return columns;
}

double niceTop(double speed, double unit) {
  double step = 1e-6;
  const double wanted = std::max(speed / unit, 1e-6);
  while (step * 10 < wanted) step *= 10;
  for (const double k : {1.0, 1.5, 2.0, 3.0, 4.0, 5.0, 6.0, 8.0, 10.0})
    if (k * step >= wanted) return k * step * unit;
  return 10 * step * unit;
}

}  // namespace drubble::draw
