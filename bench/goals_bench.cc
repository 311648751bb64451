// SPDX-License-Identifier: Apache-2.0
// The goals of speed, as ratios to the yardstick's figures.
// Usage: goals_bench [--yardstick FILE] [--run FILE] [--json FILE] [--quick]
// yardstick: what it printed in the same quarter of an hour; run: what `drubble run --stats --json` said.
#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>
#include <sstream>
#include <string>

#include "measures.h"

using namespace drubble;
using namespace drubble::bench;

namespace {

struct Row {
  std::string name;
  double ours = 0, yardstick = 0, ratio = 0, accept = 0, want = 0;
  bool more_is_better = false;
};

// The number that follows `after` in the first line with all of `words`; not a number: there is none.
double figure(const std::string& text, const std::vector<std::string>& words, const std::string& after) {
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);) {
    std::size_t at = 0;
    for (const std::string& w : words)
      if (at != std::string::npos) at = line.find(w, at);
    if (at == std::string::npos) continue;
    const std::size_t place = line.find(after, at);
    if (place != std::string::npos) return std::strtod(line.c_str() + place + after.size(), nullptr);
  }
  return std::nan("");
}

std::string readAll(const std::string& path) {
  std::ifstream in(path);
  return {std::istreambuf_iterator<char>(in), {}};
}

class Goals {
 public:
  explicit Goals(std::string yardstick) : text_(std::move(yardstick)) {}

  // Against the yardstick.
  void against(const std::string& name, double ours, double yardstick, double accept, double want) {
    add({name, ours, yardstick, ours / yardstick, accept, want});
  }
  // A ratio of our own figures.
  void own(const std::string& name, double ours, double base, double accept, double want, bool more = false) {
    add({name, ours, base, ours / base, accept, want, more});
  }
  // A figure without a goal: not among the rows.
  void plain(const std::string& name, double ours) const {
    std::printf("%-76s %10.4g\n", name.c_str(), ours);
    std::fflush(stdout);
  }
  double pass(const char* n) const { return figure(text_, {"8-wide lean ", n, "4-pt 1T"}, "4-pt 1T"); }
  double step(const char* n) const { return figure(text_, {"lean warm", n, "4-pt 1T"}, "measured"); }
  // Preparation and storing come once in four internal steps, push-out and settling in each.
  double solver(const char* n) const {
    const std::vector<std::string> line = {"lean warm", n, "4-pt 1T"};
    return 0.25 * (figure(text_, line, "prep") + figure(text_, line, "store")) +
           figure(text_, line, "solve") + figure(text_, line, "quiet");
  }
  nlohmann::json json() const {
    nlohmann::json rows = nlohmann::json::array();
    const auto orNull = [](double x) { return std::isfinite(x) ? nlohmann::json(x) : nlohmann::json(); };
    for (const Row& r : rows_)
      rows.push_back({{"name", r.name},
                      {"ours", r.ours},
                      {"yardstick", orNull(r.yardstick)},
                      {"ratio", orNull(r.ratio)},
                      {"accept", r.accept},
                      {"want", r.want}});
    return {{"rows", rows}};
  }

 private:
  void add(const Row& r) {
    const auto meets = [&](double goal) { return r.more_is_better ? r.ratio >= goal : r.ratio <= goal; };
    const char* verdict = !std::isfinite(r.ratio) ? "no yardstick"
                          : meets(r.want)         ? "as wanted"
                          : meets(r.accept)       ? "acceptable"
                                                  : "SHORT";
    std::printf("%-58s %10.4g / %-10.4g = %6.2f  (accept %.4g, want %.4g)  %s\n", r.name.c_str(), r.ours,
                r.yardstick, r.ratio, r.accept, r.want, verdict);
    std::fflush(stdout);
    rows_.push_back(r);
  }
  std::string text_;
  std::vector<Row> rows_;
};

}  // namespace

int main(int argc, char** argv) {
  std::string yardstick, run, json;
  bool quick = false;
  for (int i = 1; i < argc; ++i) {
    if (std::strcmp(argv[i], "--quick") == 0) quick = true;
    if (i + 1 < argc && std::strcmp(argv[i], "--yardstick") == 0) yardstick = readAll(argv[++i]);
    if (i + 1 < argc && std::strcmp(argv[i], "--run") == 0) run = readAll(argv[++i]);
    if (i + 1 < argc && std::strcmp(argv[i], "--json") == 0) json = argv[++i];
  }
  Goals goals(yardstick);
  const world::Prototype box = world::boxPrototype("box", Vec3::Ones(), 1000), block = chamferedBlock();
  const LaidCost few = laidCost(box, 1000, 1, 24), many = laidCost(box, 10000, 1, 20),
                 shared = laidCost(box, 10000, 2, 20), blocks = laidCost(block, 10000, 1, 20);
  goals.against("velocity pass, ns a point, 10k boxes", many.pass, goals.pass("N=10000 "), 2, 1.5);
  goals.against("whole solver, ns a point and internal step, 10k boxes", many.solver,
                goals.solver("N=10000 "), 2.2, 1.6);
  goals.against("internal step, ns an awake box, 10k", many.step, goals.step("N=10000 "), 2.5, 1.7);
  goals.against("internal step, ns an awake hull of 24 corners, 10k", blocks.step, goals.step("N=10000 "),
                2.5, 1.7);
  goals.own("two threads over one, 10k boxes", many.step, shared.step, 1.6, 1.8, true);
  if (!quick) {
    const LaidCost most = laidCost(box, 100000, 1, 4), both = laidCost(box, 100000, 2, 4);
    goals.against("velocity pass, ns a point, 100k boxes", most.pass, goals.pass("N=100000 "), 2, 1.5);
    goals.against("whole solver, ns a point and internal step, 100k boxes", most.solver,
                  goals.solver("N=100000 "), 2.2, 1.6);
    goals.own("cost an awake box, 100k over 1k", most.step, few.step, 2.2, 1.6);
    goals.own("bytes a piece with its contacts, 100k boxes", most.bytes, 1, 4096, 2048);
    goals.own("substep of a pile of 100k on two threads, s", both.step * 4 * 1e5 * 1e-9, 1, 1, 0.5);
    const double alone = stirredFrame(1000, 0, 1, 12), beside = stirredFrame(1000, 99000, 1, 12);
    goals.own("1k awake of 100k over 1k alone, s a frame", beside, alone, 2, 1.2);
  }
  // In full motion: no goals, for comparison.
  const world::Prototype oval = world::ellipsoidPrototype("oval", vec3(0.12, 0.08, 0.1), 500),
                         cube = world::boxPrototype("cube", Vec3::Constant(0.2), 1000);
  world::Prototype shard = chamferedBlock();
  for (const int n : quick ? std::vector{1000} : std::vector{1000, 10000}) {
    const int columns = static_cast<int>(std::sqrt(n / 8.0));
    const std::string many_of = std::to_string(n / 1000) + "k ";
    goals.plain("falling heap, ns an awake piece and internal step, " + many_of + "boxes",
                stirredCost(fallingHeap(cube, n, 0.36, columns), 1, 10, 4));
    goals.plain("the same, " + many_of + "hulls of 24 corners",
                stirredCost(fallingHeap(shard, n, 1.8, columns), 1, 24, 4));
    goals.plain("the same, " + many_of + "ellipsoids",
                stirredCost(fallingHeap(oval, n, 0.36, columns), 1, 10, 4));
    goals.plain("the same, " + many_of + "boxes on a mesh of 100k triangles",
                stirredCost(heapOnTerrain(cube, n, 0.36, columns, 100000), 1, 10, 4));
  }
  if (!run.empty()) {
    const nlohmann::json told = nlohmann::json::parse(run);
    goals.own("cache writing, share of a run (demo floats)", told["stats"]["seconds"]["cache"],
              told["seconds"], 0.1, 0.03);
  }
  if (!json.empty()) std::ofstream(json) << goals.json().dump(2) << "\n";
  return 0;
}
