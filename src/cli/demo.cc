#include "cli/command.h"
namespace drubble::cli { int demoCommand(const std::vector<std::string>&) { return 0; } }
