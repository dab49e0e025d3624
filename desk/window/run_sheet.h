#pragma once

#include "core/night/run_needs.h"

#include <QDialog>

class QComboBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QPushButton;

namespace pathmark::desk {

/// Asks for what a run needs and neither the frames nor an earlier run told: where the camera stood, a star catalogue, orbits, and who
/// observed. What was found stands there with where it was found.
class RunSheet : public QDialog {
    Q_OBJECT

  public:
    RunSheet(const night::RunNeeds& needs,
             const orbit::SiteCodes& codes,
             QWidget* parent = nullptr);

    /// What is entered.
    [[nodiscard]] night::RecipeChoices choices() const;

  private:
    QLineEdit*
    addRow(const char* name, const QString& words, const QString& help, const QString& from);
    void addChooser(QLineEdit& line, const char* name, void (RunSheet::*choose)());
    void addButtons();
    void chooseStore();
    void chooseOrbits();
    void listCatalogues();
    void check();
    [[nodiscard]] std::vector<std::filesystem::path> orbitFiles() const;

    orbit::SiteCodes codes_;
    night::RunNeeds needs_;
    QFormLayout* form_ = nullptr;
    QLineEdit* site_ = nullptr;
    QLineEdit* store_ = nullptr;
    QComboBox* catalog_ = nullptr;
    QLineEdit* orbits_ = nullptr;
    QLineEdit* observer_ = nullptr;
    QLabel* problem_ = nullptr;
    QPushButton* run_ = nullptr;
};

} // namespace pathmark::desk
