#pragma once

#include "desk/session/night_snapshot.h"
#include "desk/shell/bench.h"

#include <QThreadPool>
#include <QWidget>

class QCheckBox;
class QLineEdit;
class QTableWidget;

namespace pathmark::desk {

/// The header of the frame in hand: first what was derived from it and from where, then its cards; a search, and the
/// differences across its series.
class HeaderPanel : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit HeaderPanel(QWidget* parent = nullptr);
    ~HeaderPanel() override;

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
    struct Row {
        QString what;
        QString value;
        QString remark;
        bool derived = false;
    };

    void load();
    void showRows();

    std::shared_ptr<const NightSnapshot> night_;
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
