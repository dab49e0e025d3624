#pragma once

#include <QWidget>

class QLabel;
class QLineEdit;
class QTableView;

namespace pathmark::desk {

class ArchiveModel;
class NightSession;

/// Every known body within reach in every frame of an archive; the row chosen shows its frame and takes its body in hand.
class ArchiveBench : public QWidget {
    Q_OBJECT

  public:
    explicit ArchiveBench(NightSession& session, QWidget* parent = nullptr);

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
