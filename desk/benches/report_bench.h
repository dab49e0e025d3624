#pragma once

#include "desk/shell/bench.h"

#include <QWidget>

#include <string>

class QPlainTextEdit;
class QPushButton;

namespace pathmark::desk {

class NightSession;

/// The report as it will be sent, in the chosen format; every line leads to its measurement.
class ReportBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit ReportBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setNight(const std::shared_ptr<const NightSnapshot>& night) override;
    void setShown(bool shown) override;

    [[nodiscard]] std::string format() const { return format_; }

    [[nodiscard]] QString text() const;

  public slots:
    void refresh();

    /// Saves to a file; with no name the report's own in the results folder.
    bool save(const QString& path = {});

  private:
    void setFormat(const std::string& format);

    NightSession& session_;
    QPlainTextEdit* text_;
    QPushButton* formats_[3];
    QPushButton* save_;
    std::string format_ = "psv";
};

} // namespace pathmark::desk
