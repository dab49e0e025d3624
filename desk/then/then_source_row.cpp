#include "desk/then/then_source_row.h"

#include "desk/picture/named_controls.h"
#include "desk/session/night_session.h"
#include "desk/then/then_session.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QLineEdit>

namespace pathmark::desk {

ThenSourceRow::ThenSourceRow(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session),
      kind_(namedChoice("thenSource",
                        tr("Where the older picture comes from"),
                        {tr("sky survey"), tr("image"), tr("another frame"), tr("another night")})),
      address_(new QLineEdit), choose_(namedButton("thenChoose")) {
    address_->setObjectName("thenAddress");
    address_->setAccessibleName(tr("Address, file or frame"));
    choose_->setText(tr("Choose…"));
    choose_->setAccessibleName(tr("Choose a file"));
    choose_->hide();
    auto* layout = new QHBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(kind_);
    layout->addWidget(address_, 1);
    layout->addWidget(choose_);
    connect(kind_, &QComboBox::currentIndexChanged, this, &ThenSourceRow::setKind);
    connect(choose_, &QPushButton::clicked, this, &ThenSourceRow::chooseFile);
}

void ThenSourceRow::setKind(int kind) {
    address_->clear();
    fillIn();
    choose_->setVisible(kind == File || kind == Night);
    address_->setPlaceholderText(kind == Frame ? tr("file name of a light of this night")
                                               : QString());
}

void ThenSourceRow::fillIn() {
    if (address_->text().isEmpty() && kind_->currentIndex() == Survey) {
        address_->setText(ThenSession::surveyAddress());
    }
}

std::optional<night::ThenSource> ThenSourceRow::chosen() {
    night::ThenSource source;
    const std::string text = address_->text().trimmed().toStdString();
    const int kind = kind_->currentIndex();
    if (text.empty()) {
        emit missing(kind == Survey ? tr("Give the address of a survey in the HiPS layout.")
                                    : tr("Choose an image, a frame or a night."));
        return std::nullopt;
    }
    if (kind == Survey) {
        source.survey = text;
    } else if (kind == File) {
        source.image = text;
    } else if (kind == Night) {
        source.night = text;
    } else {
        for (const night::LightRecord& light : session_.night()->lights) {
            if (light.raw.filename().string() == text && light.solved()) {
                source.light = light;
            }
        }
        if (!source.light) {
            emit missing(tr("No solved light of this night has that name."));
            return std::nullopt;
        }
    }
    return source;
}

void ThenSourceRow::chooseFile() {
    const bool isNight = kind_->currentIndex() == Night;
    const QString file =
        QFileDialog::getOpenFileName(this,
                                     isNight ? tr("Another night") : tr("Older image"),
                                     {},
                                     isNight ? tr("Night files (*.pmnight)") : QString(),
                                     nullptr,
                                     QFileDialog::DontUseNativeDialog);
    if (!file.isEmpty()) {
        address_->setText(file);
    }
}

} // namespace pathmark::desk
