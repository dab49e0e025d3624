#include "core/night/run_night.h"

#include <sys/resource.h>

#include <chrono>
#include <cstdio>
#include <filesystem>

/// Runs a whole night from nothing and prints time and memory beside their limits.
/// Usage: bench-night FOLDER RECIPE OUT   (OUT is emptied first)
int main(int argc, char** argv) {
    if (argc != 4) {
        std::fprintf(stderr, "usage: bench-night FOLDER RECIPE OUT\n");
        return 2;
    }
    std::filesystem::remove_all(argv[3]);
    const auto start = std::chrono::steady_clock::now();
    const auto summary = pathmark::night::runNight({argv[1], argv[2], argv[3], {}}, {});
    const double seconds =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    if (!summary) {
        std::fprintf(stderr, "%s\n", toMessage(summary.error()).c_str());
        return 1;
    }
    rusage usage{};
    ::getrusage(RUSAGE_SELF, &usage);
    std::printf("lights %d, solved %d, kept %d\n", summary->lights, summary->solved, summary->kept);
    std::printf("%-24s %10.1f   limit %8.1f\n", "seconds", seconds, 60.0);
    std::printf("%-24s %10.1f   limit %8.1f\n",
                "peak memory MB",
                static_cast<double>(usage.ru_maxrss) / 1024.0,
                1500.0);
    return 0;
}
