#pragma once

#include "core/night/report/sending_record.h"

#include <QWidget>

#include <vector>

class QLabel;
class QPushButton;
class QTableWidget;

namespace pathmark::desk {

/// What was sent, what waits, and the look before something leaves; at the foot of the report.
class SendingPanel : public QWidget {
    Q_OBJECT

  public:
    explicit SendingPanel(QWidget* parent = nullptr);

    void setSendings(std::vector<night::Sending> sendings);

    /// Asks for the second key: what would leave, in words.
    void ask(const QString& words);
    void stopAsking();

    [[nodiscard]] bool isAsking() const { return asking_; }

    /// Something is on its way.
    void setBusy(bool busy);

    [[nodiscard]] bool hasOpen() const;

  signals:
    void confirmed();
    void goOnWanted();
    void settled(const QString& id, bool arrived);
    void withdrawn(const QString& id);

    /// The bytes of a report, and what came back, are to be read.
    void chosen(const QString& text);

  private:
    void showButtons();
    [[nodiscard]] const night::Sending* current() const;

    std::vector<night::Sending> sendings_; ///< the latest first
    bool asking_ = false;
    bool busy_ = false;
    QLabel* question_ = nullptr;
    QWidget* questionRow_ = nullptr;
    QTableWidget* table_ = nullptr;
    QWidget* acts_ = nullptr;
    QPushButton* goOn_ = nullptr;
    QPushButton* arrived_ = nullptr;
    QPushButton* notArrived_ = nullptr;
    QPushButton* withdraw_ = nullptr;
};

} // namespace pathmark::desk
