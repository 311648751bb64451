// SPDX-License-Identifier: Apache-2.0
// drubble draw CACHE|SETUP
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <filesystem>
#include <iostream>
#include <nlohmann/json.hpp>
#include <set>

#include "cli/draw_source.h"
#include "draw/bonds.h"
#include "draw/caption.h"
#include "draw/render.h"
#include "draw/tracer.h"
#include "files/setup/table.h"

namespace drubble::cli {

namespace {

using namespace drubble::draw;

int wholeNumber(std::string_view text, const std::string& option) {
  int x = 0;
  const auto [end, code] = std::from_chars(text.data(), text.data() + text.size(), x);
  if (code != std::errc{} || end != text.data() + text.size())
    throw Error(ErrorKind::Usage, fmt::format("--{}: '{}' is not a whole number", option, text));
  return x;
}

// "1-48", "1,24,48" or "24".
std::vector<int> frameList(const std::string& text, const std::string& option, int every) {
  std::vector<int> out;
  if (const std::size_t dash = text.find('-', 1); dash != std::string::npos) {
    const int first = wholeNumber(std::string_view(text).substr(0, dash), option),
              last = wholeNumber(std::string_view(text).substr(dash + 1), option);
    for (int f = first; f <= last; f += every) out.push_back(f);
  } else {
    for (std::size_t at = 0; at <= text.size();) {
      const std::size_t comma = std::min(text.find(',', at), text.size());
      out.push_back(wholeNumber(std::string_view(text).substr(at, comma - at), option));
      at = comma + 1;
    }
  }
  if (out.empty()) throw Error(ErrorKind::Usage, fmt::format("--{} '{}' names no frame", option, text));
  return out;
}

struct Job {
  Look look;
  std::string camera;  // empty: the automatic one
  bool by_speed = false;
  std::vector<files::CachedBond> clusters;  // coloured by what these tie together; empty: not
  double top_speed = 0;                     // m/s; 0: from the frames drawn
  bool labels = true;
  std::vector<char> highlighted;  // a piece of the stage; empty: none
  std::string who;                // of those, as they were asked for
};

Camera cameraFor(const Source& source, const Job& job, const std::vector<Moment>& moments) {
  const Stage& s = source.stage();
  if (job.camera.empty()) return framing(s, moments, static_cast<double>(job.look.width) / job.look.height);
  std::set<std::string> names;
  for (const StageCamera& c : s.cameras) {
    if (c.name == job.camera) return lookingFrom(c.at, c.look, s.up, c.lens);
    names.insert(c.name);
  }
  const std::string near = files::nearest(job.camera, names);
  throw Error(ErrorKind::Usage,
              fmt::format("there is no camera '{}'{}; without --camera the view frames the action",
                          job.camera, near.empty() ? "" : "; did you mean '" + near + "'?"));
}

PieceColours coloursFor(const Stage& s, const Moment& m, const Job& job) {
  PieceColours out;
  if (!job.by_speed && job.highlighted.empty()) return out;
  for (std::size_t i = 0; i < s.pieces.size(); ++i) {
    const StagePiece& p = s.pieces[i];
    if (job.by_speed && p.opacity == 1)
      out.push_back(p.dynamic ? rampColour(m.speeds[p.pose] / job.top_speed) : Rgb{0.62, 0.62, 0.63});
    else
      out.push_back(s.meshes[p.mesh].colour);
    if (!job.highlighted.empty()) out.back() = job.highlighted[i] ? kHighlit : kBehind;
  }
  return out;
}

class Drawing {
 public:
  Drawing(Source& source, Job job, const std::vector<int>& frames)
      : source_(source), job_(job), renderer_(source.stage()) {
    // The camera and the scale are the same for all frames of one call: a dozen of them tell what is to be
    // seen.
    std::vector<Moment> some;
    const std::size_t step = std::max<std::size_t>(1, frames.size() / 12);
    for (std::size_t i = 0; i < frames.size(); i += step) some.push_back(source.moment(frames[i]));
    camera_ = cameraFor(source, job, some);
    double fastest = 0;
    for (const Moment& m : some)
      for (const double v : m.speeds) fastest = std::max(fastest, v);
    if (job_.top_speed <= 0) job_.top_speed = niceTop(fastest, source.stage().unit);
  }

  Image frame(int number, bool caption) {
    const Moment m = source_.moment(number);
    renderer_.show(m);
    PieceColours colours = coloursFor(source_.stage(), m, job_);
    if (!job_.clusters.empty())
      colours =
          clusterColours(source_.stage(), job_.clusters, source_.bondsBrokenBy(number, job_.clusters.size()));
    Image image = renderer_.render(camera_, job_.look, colours);
    if (caption && job_.labels) addCaption(image, source_.stage(), number);
    if (caption && job_.labels) addLegend(image);
    return image;
  }

  void addLegend(Image& image) const {
    if (!job_.highlighted.empty() && job_.clusters.empty())
      addHighlightLegend(image, {job_.who, static_cast<std::size_t>(std::count(job_.highlighted.begin(),
                                                                               job_.highlighted.end(), 1))});
    else if (job_.by_speed)
      addSpeedLegend(image, source_.stage(), job_.top_speed);
    else if (job_.clusters.empty())
      addPrototypeLegend(image, source_.stage());
  }

 private:
  Source& source_;
  Job job_;
  Renderer renderer_;
  Camera camera_;
};

std::vector<int> sheetFrames(const std::string& text, const std::vector<int>& there) {
  if (text.find_first_of(",-") != std::string::npos) return frameList(text, "sheet", 1);
  const int wanted = wholeNumber(text, "sheet");
  if (wanted < 1) throw Error(ErrorKind::Usage, "--sheet needs at least one frame");
  const std::size_t n = std::min<std::size_t>(static_cast<std::size_t>(wanted), there.size());
  std::vector<int> out;
  for (std::size_t i = 0; i < n; ++i)
    out.push_back(there[n == 1 ? there.size() - 1 : i * (there.size() - 1) / (n - 1)]);
  return out;
}

std::string drawSheet(Source& source, Job job, const std::vector<int>& frames, std::string path) {
  if (path.empty()) path = fmt::format("out/{}_sheet.png", source.stem());
  const int columns = sheetColumns(frames.size());
  const int width = job.look.width;
  job.look.width = std::max(160, (width - 14) / columns - 14);
  job.look.height = job.look.width * job.look.height / width;
  Drawing drawing(source, job, frames);
  std::vector<Panel> panels;
  for (const int f : frames) {
    const double seconds = (f - source.stage().first_frame) / source.stage().fps;
    panels.push_back({fmt::format("frame {}   {:.2f} s", f, seconds), drawing.frame(f, false)});
  }
  Image sheet = sheetOf(source.stage().title, panels, columns);
  if (job.labels && job.by_speed) drawing.addLegend(sheet);
  writePng(path, sheet);
  return path;
}

std::vector<std::string> drawFrames(Source& source, const Job& job, const std::vector<int>& frames,
                                    const std::string& path) {
  Drawing drawing(source, job, frames);
  std::vector<std::string> written;
  const bool many = frames.size() > 1;
  for (const int f : frames) {
    if (stopAsked()) break;
    std::string to = path.empty() ? (many ? fmt::format("out/{}_frames", source.stem())
                                          : fmt::format("out/{}_{:04}.png", source.stem(), f))
                                  : path;
    if (many) to = fmt::format("{}/{:04}.png", to, f);
    writePng(to, drawing.frame(f, true));
    written.push_back(to);
  }
  return written;
}

std::pair<int, int> sizeOf(const std::string& text) {
  const std::size_t cross = text.find('x');
  if (cross == std::string::npos)
    throw Error(ErrorKind::Usage, fmt::format("--size '{}' is not WIDTHxHEIGHT, like 1280x800", text));
  const int w = wholeNumber(std::string_view(text).substr(0, cross), "size"),
            h = wholeNumber(std::string_view(text).substr(cross + 1), "size");
  if (w < 64 || h < 64 || w > 16384 || h > 16384)
    throw Error(ErrorKind::Usage, "--size must lie between 64x64 and 16384x16384");
  return {w, h};
}

std::pair<int, double> sectionOf(const std::string& text, double unit) {
  double level = 0;
  const char* end = text.data() + text.size();
  const bool named = text.size() > 2 && text[0] >= 'x' && text[0] <= 'z' && text[1] == '=';
  if (!named || std::from_chars(text.data() + 2, end, level).ptr != end)
    throw Error(ErrorKind::Usage, fmt::format("--section '{}' is not AXIS=PLACE, like x=0.2", text));
  return {text[0] - 'x', level * unit};
}

}  // namespace

int drawCommand(const std::vector<std::string>& arguments) {
  po::options_description options("Options", 100);
  options.add_options()("source", po::value<std::string>()->required(),
                        "a cache, or a setup (drawn as it starts, keyed motion at --frame)")(
      "output,o", po::value<std::string>()->default_value(""),
      "the picture, or the folder for several (default: in out/)")(
      "frame", po::value<int>(), "which frame (default: the last; of a setup the first)")(
      "frames", po::value<std::string>(), "several: 1-96 or 1,24,48")(
      "every", po::value<int>()->default_value(1), "with --frames 1-96: only every n-th")(
      "sheet", po::value<std::string>(),
      "one picture of many frames: how many (spread evenly), or which: 1,24,48")(
      "camera", po::value<std::string>()->default_value(""),
      "a camera of the setup (default: frames the action)")(
      "colour", po::value<std::string>()->default_value("prototype"),
      "prototype, speed, or cluster (what bonds hold together)")(
      "top-speed", po::value<double>()->default_value(0),
      "the speed of the brightest colour, in the setup's units a second")(
      "quick", po::bool_switch(), "flat shading, for many frames or a run that still grows")(
      "size", po::value<std::string>()->default_value("1280x800"), "WIDTHxHEIGHT in pixels")(
      "samples", po::value<int>()->default_value(4), "rays a pixel and side: 2 is grainy, 6 is very clean")(
      "show", po::value<std::string>()->default_value("mesh"),
      "mesh; joints (their axes and limits); bonds (of one frame); of a setup also forces (at one --frame), "
      "pieces (of cut bodies, "
      "pulled apart), shapes "
      "(what "
      "is felt), or both (the shapes over the meshes)")(
      "apart", po::value<double>()->default_value(0.4, "0.4"),
      "with --show pieces: how far they are pulled apart, in shares of where they are")(
      "see-through", po::value<std::string>()->default_value(""),
      "pieces to look through: a name pattern or @name")(
      "section", po::value<std::string>()->default_value(""),
      "cut open: x=0.2 takes away what is before that plane")(
      "highlight", po::value<std::string>()->default_value(""), "pieces to colour: a name pattern or @name")(
      "set", po::value<std::vector<std::string>>()->composing()->value_name("KEY=VALUE"),
      "change a key of the setup first")("plain", po::bool_switch(), "no caption and no legend")(
      "json", po::bool_switch(), "what was written, as JSON on stdout");
  const Parsed p = parse(arguments, "draw CACHE|SETUP [options]",
                         "Draws stills and sheets. A cache may still be growing; a setup is drawn before any "
                         "run: as it starts, or with its keyed motion at --frame.",
                         options, "source", 1);
  if (p.help) return kDone;
  Job job;
  std::tie(job.look.width, job.look.height) = sizeOf(p.as<std::string>("size"));
  job.look.quick = p.as<bool>("quick");
  job.look.samples = std::clamp(p.as<int>("samples"), 1, 32);
  job.camera = p.as<std::string>("camera");
  job.labels = !p.as<bool>("plain");
  const std::string colour = p.as<std::string>("colour");
  if (colour != "prototype" && colour != "speed" && colour != "cluster")
    throw Error(ErrorKind::Usage, fmt::format("--colour '{}' is not prototype, speed or cluster", colour));
  job.by_speed = colour == "speed";
  std::vector<std::string> overrides;
  if (p.has("set")) overrides = p.as<std::vector<std::string>>("set");
  Source source(p.as<std::string>("source"), overrides);
  std::vector<int> frames{source.usual()};
  if (p.has("frame")) frames = {p.as<int>("frame")};
  if (p.has("frames"))
    frames = frameList(p.as<std::string>("frames"), "frames", std::max(1, p.as<int>("every")));
  if (p.has("sheet")) frames = sheetFrames(p.as<std::string>("sheet"), source.frames());
  source.show(p.as<std::string>("show"), p.as<double>("apart"), frames);
  if (const std::string s = p.as<std::string>("see-through"); !s.empty()) source.seeThrough(s);
  if (const std::string s = p.as<std::string>("highlight"); !s.empty())
    job.highlighted = source.select(s), job.who = s;
  if (const std::string s = p.as<std::string>("section"); !s.empty())
    job.look.section = sectionOf(s, source.stage().unit);
  if (job.look.section && p.as<std::string>("show") == "pieces") {
    // Whole pieces, so that the faces between them are seen.
    const auto [axis, level] = *job.look.section;
    const Camera camera = cameraFor(source, job, {source.moment(source.usual())});
    source.leaveOut({axis, level, camera.at[axis] > level ? 1.0 : -1.0});
    job.look.section.reset();
  }
  if (colour == "cluster") job.clusters = source.bonds();
  job.top_speed = p.as<double>("top-speed") * source.stage().unit;
  catchStopSignals();
  std::vector<std::string> written;
  if (p.has("sheet")) {
    written = {drawSheet(source, job, frames, p.as<std::string>("output"))};
  } else {
    written = drawFrames(source, job, frames, p.as<std::string>("output"));
  }
  if (p.as<bool>("json"))
    std::cout << nlohmann::json{{"written", written}}.dump(2) << "\n";
  else if (written.size() == 1)
    std::cout << "wrote " << written[0] << "\n";
  else
    std::cout << fmt::format("wrote {} pictures to {}\n", written.size(),
                             written.empty() ? "" : std::filesystem::path(written[0]).parent_path().string());
  return stopAsked() ? kStopped : kDone;
}

}  // namespace drubble::cli
