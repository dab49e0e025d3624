#pragma once

#include "desk/session/night_snapshot.h"

#include <QThreadPool>
#include <QWidget>

class QCheckBox;
class QLineEdit;
class QTableWidget;

namespace pathmark::desk {

/// The header of the frame in hand: first what was derived from it and from where, then its cards; a search, and the
/// differences across its series.
class HeaderPanel : public QWidget {
    Q_OBJECT

  public:
    explicit HeaderPanel(QWidget* parent = nullptr);
    ~HeaderPanel() override;

    /// Shows a light's header as soon as it is read; nothing is read while the panel is not seen.
    void setFrame(const NightSnapshot* night, int light);

    void focusSearch();

  protected:
    void showEvent(QShowEvent* event) override;

  private:
    struct Row {
        QString what;
        QString value;
        QString remark;
        bool derived = false;
    };

    void load();
    void showRows();

    QLineEdit* search_ = nullptr;
    QCheckBox* differences_ = nullptr;
    QTableWidget* table_ = nullptr;
    std::filesystem::path path_;
    std::vector<std::filesystem::path> series_;
    std::vector<Row> derived_;
    std::vector<Row> rows_;
    int wanted_ = 0; ///< number of the last request; answers to older ones are dropped
    QThreadPool reader_;
};

} // namespace pathmark::desk
