#pragma once

#include "desk/shell/bench.h"

#include <QScrollArea>

#include <vector>

class QCheckBox;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace pathmark::night {
struct Fact;
}

namespace pathmark::desk {

class EarthMap;
class FactRow;
class KnownFacts;

/// What this night knows: every fact that its work and its report rest on, each with its value, where it came from and its doubt, to be
/// changed in its line; what only the observer can tell stands first.
class FactsBench : public QScrollArea, public Bench {
    Q_OBJECT

  public:
    explicit FactsBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setShown(bool shown) override;

    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

  private:
    void layOut();
    void showFacts();
    void build(const std::vector<pathmark::night::Fact>& facts);
    void addRow(const pathmark::night::Fact& fact);
    void addMap(FactRow& row);
    void chooseFiles(FactRow& row);
    void tell(FactRow& row, const QString& text);
    void focusFirst();

    NightSession& session_;
    KnownFacts& known_;
    QLabel* head_ = nullptr;
    QVBoxLayout* rowsLayout_ = nullptr;
    QWidget* rowsRoom_ = nullptr;
    std::vector<FactRow*> rows_;
    EarthMap* map_ = nullptr; ///< of the site's row
    QCheckBox* fetches_ = nullptr;
    QPushButton* fetch_ = nullptr;
    QPushButton* run_ = nullptr;
};

} // namespace pathmark::desk
