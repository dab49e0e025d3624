#pragma once

#include "core/night/report/new_body.h"
#include "desk/jobs/job_lane.h"
#include "desk/shell/bench.h"

#include <QWidget>

class QLabel;
class QTableWidget;

namespace pathmark::desk {

/// A body that no list knows: how it moves, how far from the Sun it stands, which orbits agree, whether it may be a known one, and where it
/// will be in the hours to come.
class NewBodyBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit NewBodyBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setNight(const std::shared_ptr<const NightSnapshot>& night) override;
    void setShown(bool shown) override;

    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

  private:
    void refresh();
    void show(const Result<night::NewBodyLook>& look);
    void copy() const;

    NightSession& session_;
    std::shared_ptr<const NightSnapshot> night_;
    JobLane looking_;
    QLabel* head_ = nullptr;
    QLabel* facts_ = nullptr;
    QTableWidget* table_ = nullptr;
    std::optional<night::NewBodyLook> look_;
};

} // namespace pathmark::desk
