#pragma once

#include "core/night/needs/night_facts.h"

#include <QWidget>

class QLabel;
class QLineEdit;
class QPushButton;

namespace pathmark::desk {

/// One fact of the night in its line: what it is, its value to be changed in place, where it was found, what speaks against it.
class FactRow : public QWidget {
    Q_OBJECT

  public:
    explicit FactRow(const pathmark::night::Fact& fact, QWidget* parent = nullptr);

    /// What it is now; a text that is being typed stays.
    void setFact(const night::Fact& fact);

    /// Why what was typed cannot be; empty: it can.
    void setProblem(const QString& problem);

    [[nodiscard]] const night::Fact& fact() const { return fact_; }

    [[nodiscard]] QLineEdit* line() { return line_; }

    /// A button beside the line.
    QPushButton* addButton(const char* name, const QString& words);

  signals:
    void told(const QString& text);

  private:
    void showWords();

    night::Fact fact_;
    QString problem_;
    QLabel* title_ = nullptr;
    QLineEdit* line_ = nullptr;
    QLabel* unit_ = nullptr;
    QLabel* words_ = nullptr;
};

} // namespace pathmark::desk
