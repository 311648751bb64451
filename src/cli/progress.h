// SPDX-License-Identifier: Apache-2.0
// Progress on stderr: one line that is drawn again on a terminal, a line every few seconds elsewhere.
#pragma once
#include <string>
#include <vector>

#include "files/simulate.h"

namespace drubble::cli {

class ProgressLine {
 public:
  ProgressLine();
  ~ProgressLine();
  void tell(const files::RunProgress& p);
  void close();  // ends an open line

 private:
  bool terminal_;
  bool open_ = false;
  double told_ = -1;
};

// What `run` does, for other commands too. Gives an exit code.
struct RunRequest {
  std::string setup;
  std::string output;  // empty: out/NAME.drub
  std::vector<std::string> overrides;
  bool force = false, json = false, stats = false, stop_at_rest = false;
  std::vector<files::Limit> limits;
  world::Machine machine;
};
int runSetup(const RunRequest& request);

}  // namespace drubble::cli
