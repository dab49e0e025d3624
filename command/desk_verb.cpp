#include "command/console.h"

#include <CLI/CLI.hpp>
#include <unistd.h>

#include <filesystem>
#include <memory>

namespace pathmark::command {

void addDeskVerb(CLI::App& program, Verb& chosen) {
    auto night = std::make_shared<std::string>();
    CLI::App* verb = program.add_subcommand("desk", "Open the window");
    verb->add_option("night", *night, "A night file or a folder of frames");
    verb->final_callback([night, &chosen] {
        chosen = [night] {
            std::error_code status;
            const auto self = std::filesystem::read_symlink("/proc/self/exe", status);
            const std::string window = (self.parent_path() / "pathmark-desk").string();
            unblockSignals();
            ::execl(window.c_str(),
                    window.c_str(),
                    night->empty() ? static_cast<char*>(nullptr) : night->c_str(),
                    static_cast<char*>(nullptr));
            Console::complain(
                {ErrorId::FrameNotReadable, "The window program is not installed.", window});
            return static_cast<int>(kSomeFailed);
        };
    });
}

} // namespace pathmark::command
