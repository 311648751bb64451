#include "cli/command.h"
namespace drubble::cli { int checkCommand(const std::vector<std::string>&) { return 0; } }
