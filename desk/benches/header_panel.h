#pragma once

#include "desk/jobs/job_lane.h"
#include "desk/session/night_snapshot.h"
#include "desk/shell/bench.h"

#include <QWidget>

class QCheckBox;
class QComboBox;
class QLineEdit;
class QTableWidget;

namespace pathmark::desk {

/// A line of the table.
struct HeaderRow {
    QString what;
    QString value;
    QString remark;
    bool derived = false;
};

/// The header of the frame in hand, or of a group of calibration frames: first what was derived from it and from where, then its cards; a search, and the
/// differences across its series.
class HeaderPanel : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit HeaderPanel(JobRunner& jobs, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void setNight(const std::shared_ptr<const NightSnapshot>& night) override;

    /// Shows a light's header as soon as it is read; nothing is read while the panel is not seen.
    void setFrame(int light) override;

    /// Only its command opens it.
    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

    void focusSearch();

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    void choose();
    void derive(const frame::FrameInfo& info);
    void load();
    void showRows();

    std::shared_ptr<const NightSnapshot> night_;
    int light_ = -1;
    std::vector<std::size_t> groups_; ///< of calibration frames, as they stand in the chooser
    QComboBox* of_ = nullptr;
    QLineEdit* search_ = nullptr;
    QCheckBox* differences_ = nullptr;
    QTableWidget* table_ = nullptr;
    std::filesystem::path path_;
    std::vector<std::filesystem::path> series_;
    std::vector<HeaderRow> derived_;
    std::vector<HeaderRow> rows_;
    JobLane reading_;
};

} // namespace pathmark::desk
