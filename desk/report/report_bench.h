#pragma once

#include "core/report/read_back.h"
#include "desk/shell/bench.h"

#include <QWidget>

#include <array>
#include <optional>

class QLabel;
class QPlainTextEdit;
class QPushButton;
class QStackedWidget;
class QTableView;

namespace pathmark::desk {

class MendPanel;
class ReportModel;
class ReportSession;
class NightSession;
class SendingPanel;

/// The report line by line, each beside its cut-out and what speaks against sending it, to be mended there; a key shows it as the text
/// that is sent. At the foot it leaves, and what was sent before stands there with its receipts.
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

    /// As it would be sent in the chosen format; what is wrong where there is none.
    [[nodiscard]] QString text() const;

    [[nodiscard]] bool showsText() const;

  public slots:
    /// The lines, or the text that is sent.
    void showText(bool shows);

    /// Saves to a file; with no name as the report of the results folder.
    void save(const QString& path = {});

  private:
    void setForm(report::Form form);
    void refresh();
    void showMade();
    void showState();
    void showLine();
    void choose(int row);
    void chooseDoubted();
    void askToSend();
    void writeMail();
    void backToLines();
    void judge(night::MeasurementState state);
    QWidget* buildTable();
    QWidget* buildText();
    QWidget* buildFoot();
    void connectMends();
    void connectSending();

    NightSession& session_;
    std::shared_ptr<const NightSnapshot> night_;
    ReportSession* report_ = nullptr;
    ReportModel* model_ = nullptr;
    MendPanel* mend_ = nullptr;
    SendingPanel* sendings_ = nullptr;
    QStackedWidget* pages_ = nullptr;
    QTableView* table_ = nullptr;
    QLabel* state_ = nullptr;
    QPlainTextEdit* text_ = nullptr;
    std::array<QPushButton*, 3> formats_{};
    QPushButton* turn_ = nullptr;
    QPushButton* save_ = nullptr;
    QPushButton* send_ = nullptr;
    QPushButton* mail_ = nullptr;
    bool stale_ = true;
    bool follows_ =
        false; ///< the line chosen comes from the frame in hand, not the other way round
};

} // namespace pathmark::desk
