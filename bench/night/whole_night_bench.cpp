#include "bench/support/process_usage.h"
#include "core/night/run_night.h"

#include <fmt/format.h>

#include <chrono>
#include <cstdio>
#include <filesystem>
#include <map>
#include <string>
#include <vector>

namespace {

using Clock = std::chrono::steady_clock;
using pathmark::bench::processorSeconds;

double secondsSince(Clock::time_point start) {
    return std::chrono::duration<double>(Clock::now() - start).count();
}

/// How long each stage of a run takes, from when it tells of itself first until another does.
class Stages {
  public:
    void enter(const std::string& stage) {
        if (order_.empty() || stage != order_.back()) {
            leave();
            order_.push_back(stage);
            since_ = Clock::now();
            processor_ = processorSeconds();
        }
    }

    void leave() {
        if (!order_.empty()) {
            auto& [seconds, processor] = took_[order_.back()];
            seconds += secondsSince(since_);
            processor += processorSeconds() - processor_;
        }
    }

    void print(double all) const {
        for (const std::string& stage : order_) {
            const auto& [seconds, processor] = took_.at(stage);
            fmt::print("  {:38} {:8.1f} s, {:8.1f} of processor, {:4.0f} %\n",
                       stage,
                       seconds,
                       processor,
                       100.0 * seconds / all);
        }
    }

  private:
    std::vector<std::string> order_;
    std::map<std::string, std::pair<double, double>> took_;
    Clock::time_point since_;
    double processor_ = 0.0;
};

} // namespace

/// Runs a whole night from nothing and prints time and memory beside their limits, and the shares of its stages.
/// Usage: bench-night FOLDER RECIPE OUT [SECONDS]   (OUT is emptied first; SECONDS: the limit beside the time, 60 where none is given)
int main(int argc, char** argv) {
    if (argc != 4 && argc != 5) {
        std::fprintf(stderr, "usage: bench-night FOLDER RECIPE OUT [SECONDS]\n");
        return 2;
    }
    std::filesystem::remove_all(argv[3]);
    Stages stages;
    pathmark::Job job;
    job.onProgress = [&](const pathmark::Progress& progress) { stages.enter(progress.stage); };
    const auto start = Clock::now();
    stages.enter("Beginning");
    const auto summary = pathmark::night::runNight({argv[1], argv[2], argv[3], {}}, job);
    const double seconds = secondsSince(start);
    stages.leave();
    if (!summary) {
        std::fprintf(stderr, "%s\n", toMessage(summary.error()).c_str());
        return 1;
    }
    fmt::print("lights {}, solved {}, kept {}\n", summary->lights, summary->solved, summary->kept);
    fmt::print("{:24} {:10.1f}   limit {:8.1f}\n",
               "seconds",
               seconds,
               argc == 5 ? std::stod(argv[4]) : 60.0);
    fmt::print("{:24} {:10.1f}\n", "of processor", processorSeconds());
    fmt::print("{:24} {:10.1f}   limit {:8.1f}\n",
               "peak memory MB",
               pathmark::bench::peakMegabytes(),
               1500.0);
    stages.print(seconds);
    return 0;
}
