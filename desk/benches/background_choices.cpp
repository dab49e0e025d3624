#include "desk/benches/background_choices.h"

#include <QAbstractItemView>
#include <QComboBox>
#include <QFormLayout>

#include <array>

namespace pathmark::desk {
namespace {

constexpr std::array kFlats{
    night::WithoutFlats::Leave, night::WithoutFlats::Sky, night::WithoutFlats::Level};

constexpr int kNone = 0;   // of the gradient's choices; then the degrees 1 to 4
constexpr int kSpline = 5; // and the smooth surface

} // namespace

BackgroundChoices::BackgroundChoices(QWidget* parent) : QWidget(parent) {
    setObjectName("backgroundChoices");
    auto* layout = new QFormLayout(this);
    layout->setContentsMargins(10, 8, 10, 4);
    layout->setVerticalSpacing(4);
    flats_ = addRow("flatsChoice",
                    tr("Without flats"),
                    {tr("leave the light as it is"),
                     tr("a flat from the lights' own sky"),
                     tr("level each light to a smooth sky")});
    gradient_ = addRow("gradientChoice",
                       tr("Gradient"),
                       {tr("leave it"),
                        tr("take a plane away"),
                        tr("take a surface of degree 2 away"),
                        tr("take a surface of degree 3 away"),
                        tr("take a surface of degree 4 away"),
                        tr("take a smooth surface away")});
    per_ = addRow("gradientPerChoice",
                  tr("Gradient of"),
                  {tr("each light by itself"), tr("the whole series")});
}

QFormLayout* BackgroundChoices::form() const {
    return static_cast<QFormLayout*>(layout());
}

QComboBox*
BackgroundChoices::addRow(const QString& name, const QString& words, const QStringList& choices) {
    auto* box = new QComboBox;
    box->setObjectName(name);
    box->setAccessibleName(words);
    box->view()->setAccessibleName(words);
    box->addItems(choices);
    box->setFocusPolicy(Qt::ClickFocus);
    form()->addRow(words, box);
    connect(box, &QComboBox::activated, this, [this] {
        form()->setRowVisible(per_, gradient_->currentIndex() != kNone);
        emit chosen();
    });
    return box;
}

void BackgroundChoices::show(const night::BackgroundChoice& choice) {
    for (std::size_t i = 0; i < kFlats.size(); ++i) {
        if (kFlats[i] == choice.withoutFlats) {
            flats_->setCurrentIndex(static_cast<int>(i));
        }
    }
    const auto& gradient = choice.gradient;
    gradient_->setCurrentIndex(!gradient.removed      ? kNone
                               : gradient.degree == 0 ? kSpline
                                                      : gradient.degree);
    per_->setCurrentIndex(gradient.perSeries ? 1 : 0);
    if (form()->isRowVisible(per_) != gradient.removed) {
        form()->setRowVisible(per_, gradient.removed);
    }
}

night::BackgroundChoice BackgroundChoices::choice() const {
    night::BackgroundChoice choice;
    choice.withoutFlats = kFlats[static_cast<std::size_t>(flats_->currentIndex())];
    const int gradient = gradient_->currentIndex();
    choice.gradient.removed = gradient != kNone;
    if (choice.gradient.removed) {
        choice.gradient.degree = gradient == kSpline ? 0 : gradient;
    }
    choice.gradient.perSeries = per_->currentIndex() == 1;
    return choice;
}

} // namespace pathmark::desk
