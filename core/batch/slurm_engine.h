#pragma once

#include "core/batch/engine.h"

namespace pathmark::batch {

/// Slurm, by its own commands: sbatch, squeue and scancel, which know where their controller is. What is handed over is told by the names of
/// the jobs alone, so that nothing has to be remembered between two programs.
class SlurmEngine : public Engine {
  public:
    /// `processors` for each piece. `options` are further words for sbatch, such as "--partition=long".
    SlurmEngine(const Campaign& campaign, int processors, std::vector<std::string> options)
        : campaign_(campaign), processors_(processors), options_(std::move(options)) {}

    Result<std::string> submit(const PieceArray& array) override;

    /// Pieces whose jobs Slurm holds back for good, as after a start that failed, are not at work; their jobs are taken back.
    Result<std::set<std::string>> atWork() override;

    [[nodiscard]] bool isOrdered() const override { return true; }

    Result<bool> cancel() override;

  private:
    const Campaign& campaign_;
    int processors_;
    std::vector<std::string> options_;
};

} // namespace pathmark::batch
