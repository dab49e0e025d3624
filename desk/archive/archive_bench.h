#pragma once

#include "desk/shell/bench.h"

#include <QWidget>

class QLabel;
class QLineEdit;
class QTableView;

namespace pathmark::desk {

class ArchiveModel;
class NightSession;

/// Every known body within reach in every frame of an archive; the row chosen shows its frame and takes its body in hand.
class ArchiveBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit ArchiveBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setNight(const std::shared_ptr<const NightSnapshot>& night) override;

    [[nodiscard]] bool opensFor(const NightSnapshot* night) const override {
        return night != nullptr && night->isArchive;
    }

  public slots:
    void refresh();

    /// To the line that says which rows are shown.
    void find();

  private:
    void choose(int row);
    void count();

    NightSession& session_;
    ArchiveModel* model_;
    QTableView* rows_;
    QLabel* count_;
    QLineEdit* filter_;
};

} // namespace pathmark::desk
