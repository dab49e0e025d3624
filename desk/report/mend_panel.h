#pragma once

#include "core/night/report/reported_night.h"

#include <QWidget>

#include <optional>

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace pathmark::desk {

/// What speaks against the chosen line, and what can be done about it there and then.
class MendPanel : public QWidget {
    Q_OBJECT

  public:
    explicit MendPanel(QWidget* parent = nullptr);

    /// Shows a line; nullopt: none, or one that nothing speaks against.
    void setLine(const std::optional<night::ReportLine>& line, bool isCandidate);

    /// Puts the hand on the line of the reason.
    void askReason();

    /// Puts the hand on the first thing that can be said otherwise.
    void startMending();

  signals:
    /// Every doubt of the line is waived; `everywhere`, here and below: of all lines that have the same ones.
    void waived(const QString& reason, bool everywhere);
    void bandSaid(const QString& band, bool everywhere);
    void placeAloneSaid();
    void clockErrorSaid(double seconds, bool everywhere);
    void nameSaid(const QString& name);
    void factsWanted();
    void left(); ///< the hand goes back to the lines

  protected:
    bool eventFilter(QObject* object, QEvent* event) override;

  private:
    QWidget* buildReason();
    QWidget* buildMends();
    void waive(bool everywhere);
    void sayClock(bool everywhere);
    QLineEdit* addLine(const char* name, const QString& accessible);
    QPushButton* addButton(const char* name, const QString& words);

    QLabel* words_ = nullptr;
    QWidget* reasonRow_ = nullptr;
    QLineEdit* reason_ = nullptr;
    QWidget* mendRow_ = nullptr;
    QComboBox* band_ = nullptr;
    QPushButton* sayBand_ = nullptr;
    QPushButton* sayBandAll_ = nullptr;
    QPushButton* placeAlone_ = nullptr;
    QLineEdit* clock_ = nullptr;
    QPushButton* sayClock_ = nullptr;
    QPushButton* sayClockAll_ = nullptr;
    QLineEdit* name_ = nullptr;
    QPushButton* sayName_ = nullptr;
    QPushButton* facts_ = nullptr;
};

} // namespace pathmark::desk
