#pragma once

#include "desk/jobs/job_lane.h"
#include "desk/shell/bench.h"

#include <QWidget>

#include <array>
#include <string>

class QLabel;
class QPlainTextEdit;
class QPushButton;
class QStackedWidget;
class QTableView;

namespace pathmark::desk {

class ReportModel;
class NightSession;

/// The report line by line, each beside its cut-out and what speaks against sending it; a key shows it as the text that is sent.
class ReportBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit ReportBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setNight(const std::shared_ptr<const NightSnapshot>& night) override;
    void setFrame(int light) override;
    void setShown(bool shown) override;

    [[nodiscard]] std::string format() const { return format_; }

    /// As it would be sent in the chosen format; what is wrong where there is none.
    [[nodiscard]] QString text() const;

    [[nodiscard]] bool showsText() const;

  public slots:
    /// The lines, or the text that is sent.
    void showText(bool shows);

    /// Saves to a file; with no name as the report of the results folder.
    void save(const QString& path = {});

  private:
    void setFormat(const std::string& format);
    void refresh();
    void choose(int row);
    void judge(night::MeasurementState state);
    QWidget* buildTable();
    QWidget* buildText();

    NightSession& session_;
    std::shared_ptr<const NightSnapshot> night_;
    JobLane writing_;
    ReportModel* model_ = nullptr;
    QStackedWidget* pages_ = nullptr;
    QTableView* table_ = nullptr;
    QLabel* state_ = nullptr;
    QPlainTextEdit* text_ = nullptr;
    std::array<QPushButton*, 3> formats_{};
    QPushButton* turn_ = nullptr;
    QPushButton* save_ = nullptr;
    std::string format_ = "psv";
    bool stale_ = true;
    bool follows_ =
        false; ///< the line chosen comes from the frame in hand, not the other way round
};

} // namespace pathmark::desk
