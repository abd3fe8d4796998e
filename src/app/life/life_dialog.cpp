#include "app/life/life_dialog.h"

#include <QBuffer>
#include <QComboBox>
#include <QDate>
#include <QFile>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QImageReader>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QRegularExpression>
#include <QSpinBox>
#include <QVBoxLayout>

#include "app/session/dialogs.h"
#include "app/session/text.h"
#include "app/theme/quantity_field.h"
#include "app/theme/word_label.h"
#include "quantity/iso_time.h"

namespace nk {

namespace {

QString dayOf(double epoch_s) {
    return QString::fromStdString(isoTime(epoch_s).substr(0, 10));
}

}  // namespace

QPixmap photoOf(const QByteArray& bytes, int side) {
    QBuffer buffer;
    buffer.setData(bytes);
    buffer.open(QIODevice::ReadOnly);
    QImageReader reader(&buffer);
    reader.setAutoTransform(true);
    const QSize size = reader.size();
    if (!size.isValid() || qint64(size.width()) * size.height() > 100'000'000) return {};
    reader.setScaledSize(size.scaled(side, side, Qt::KeepAspectRatio));
    return QPixmap::fromImage(reader.read());
}

LifeDialog::LifeDialog(const BatteryEntry& battery, const BatteryLife& life,
                       const std::vector<BatteryEntry>& others, Dialogs& dialogs, QWidget* parent)
    : QDialog(parent), before_(life), now_(life) {
    setObjectName("life");
    setWindowTitle(tr("What else is known"));
    setMinimumWidth(560);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(18, 16, 18, 16);
    box->setSpacing(10);
    auto* intro = wordLabel(this);
    intro->setText(tr("%1 beyond its card. Everything may be left open.")
                       .arg(QString::fromStdString(battery.battery.name)));
    box->addWidget(intro);
    auto* form = new QFormLayout;
    form->setLabelAlignment(Qt::AlignRight | Qt::AlignVCenter);
    const auto line = [&](const char* name, const QString& words, const std::string& value,
                          const QString& hint = {}) {
        auto* edit = new QLineEdit(QString::fromStdString(value), this);
        edit->setObjectName(name);
        edit->setPlaceholderText(hint);
        edit->setAccessibleName(words);
        edit->setMaxLength(500);
        form->addRow(words, edit);
        connect(edit, &QLineEdit::textChanged, this, &LifeDialog::read);
        return edit;
    };
    serial_ = line("lifeSerial", tr("Serial number"), life.serial);
    QStringList tags;
    for (const std::string& t : life.tags) tags << QString::fromStdString(t);
    tags_ = line("lifeTags", tr("Tags"), tags.join(", ").toStdString(), tr("field, cold nights"));
    usedIn_ = line("lifeUsedIn", tr("Used in"), life.usedIn, tr("dew heater of the small dome"));
    since_ =
        line("lifeSince", tr("In use since"), dayOf(life.inUseSince_s).toStdString(), "2026-05-01");
    bought_ = line("lifeBought", tr("Bought"), dayOf(life.bought_s).toStdString(), "2026-04-12");
    new_ = new QComboBox(this);
    new_->setObjectName("lifeNew");
    new_->setAccessibleName(tr("Bought as"));
    new_->addItem(tr("not said"), -1);
    new_->addItem(tr("new"), 1);
    new_->addItem(tr("used"), 0);
    new_->setCurrentIndex(std::max(0, new_->findData(life.boughtNew)));
    new_->setToolTip(tr(
        "Only a battery that was bought new can be returned for a label that it never reached."));
    form->addRow(tr("Bought as"), new_);
    worth_ = line("lifeWorth", tr("A full charge is worth"),
                  std::isfinite(life.worth) ? QString("%1 %2")
                                                  .arg(QLocale().toString(life.worth, 'g', 6),
                                                       QString::fromStdString(life.worthUnit))
                                                  .toStdString()
                                            : std::string(),
                  tr("42 km, 3 flights, 210 min"));
    auto* part = new QHBoxLayout;
    whole_ = new QComboBox(this);
    whole_->setObjectName("lifeWhole");
    whole_->setAccessibleName(tr("Part of"));
    whole_->addItem(tr("no other battery"), qlonglong(0));
    for (const BatteryEntry& e : others)
        if (e.id != battery.id)
            whole_->addItem(QString::fromStdString(e.battery.name), qlonglong(e.id));
    whole_->setCurrentIndex(std::max(0, whole_->findData(qlonglong(life.partOf))));
    position_ = new WholeField(this);
    position_->setObjectName("lifePosition");
    position_->setRange(0, 100'000);
    position_->setPrefix(tr("position "));
    position_->setSpecialValueText(tr("position?"));
    position_->setValue(life.position);
    part->addWidget(whole_, 1);
    part->addWidget(position_);
    form->addRow(tr("Part of"), part);
    notes_ = new QPlainTextEdit(QString::fromStdString(life.notes), this);
    notes_->setObjectName("lifeNotes");
    notes_->setTabChangesFocus(true);
    notes_->setFixedHeight(72);
    form->addRow(tr("Notes"), notes_);
    auto* photoRow = new QHBoxLayout;
    picture_ = new QLabel(life.photo.empty() ? tr("none") : tr("kept in the book"), this);
    picture_->setProperty("role", "muted");
    auto* choose = new QPushButton(tr("Choose…"), this);
    choose->setObjectName("lifePhoto");
    auto* away = new QPushButton(tr("Take away"), this);
    away->setProperty("role", "link");
    photoRow->addWidget(picture_, 1);
    photoRow->addWidget(away);
    photoRow->addWidget(choose);
    form->addRow(tr("Picture"), photoRow);
    box->addLayout(form);
    problem_ = wordLabel(this, "lifeProblem");
    problem_->setMinimumHeight(36);
    box->addWidget(problem_);
    auto* row = new QHBoxLayout;
    row->addStretch(1);
    auto* cancel = new QPushButton(tr("Cancel"), this);
    keep_ = new QPushButton(tr("Keep"), this);
    keep_->setObjectName("lifeKeep");
    keep_->setProperty("role", "primary");
    keep_->setDefault(true);
    row->addWidget(cancel);
    row->addWidget(keep_);
    box->addLayout(row);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(keep_, &QPushButton::clicked, this, &QDialog::accept);
    connect(choose, &QPushButton::clicked, this, [this, &dialogs] {
        const QString file = dialogs.openFile(this, tr("A picture of the battery"),
                                              tr("Pictures (*.png *.jpg *.jpeg)"));
        if (file.isEmpty()) return;
        photo_ = file;
        photoGone_ = false;
        picture_->setText(QFileInfo(file).fileName());
    });
    connect(away, &QPushButton::clicked, this, [this] {
        photo_.clear();
        photoGone_ = true;
        picture_->setText(tr("none"));
    });
    read();
}

void LifeDialog::read() {
    if (keep_ == nullptr) return;
    now_ = before_;
    QString wrong;
    const auto day = [&](const QLineEdit* edit, double& into) {
        const QString typed = edit->text().trimmed();
        // A day that was not touched keeps its hour.
        if (typed == dayOf(into)) return;
        into = typed.isEmpty() ? kNaN : fromIsoTime(typed.toStdString());
        if (!typed.isEmpty() && !std::isfinite(into))
            wrong = tr("%1 is no day. Write it as 2026-05-01.").arg(typed);
    };
    now_.serial = serial_->text().trimmed().toStdString();
    now_.usedIn = usedIn_->text().trimmed().toStdString();
    now_.tags.clear();
    for (const QString& t : tags_->text().split(',', Qt::SkipEmptyParts)) {
        const std::string tag = t.trimmed().toStdString();
        if (!tag.empty() && std::ranges::find(now_.tags, tag) == now_.tags.end())
            now_.tags.push_back(tag);
    }
    day(since_, now_.inUseSince_s);
    day(bought_, now_.bought_s);
    now_.worth = kNaN;
    now_.worthUnit.clear();
    if (const QString typed = worth_->text().trimmed(); !typed.isEmpty()) {
        static const QRegularExpression figure(R"(^([0-9.,]+)\s*(\S.*)$)");
        const auto match = figure.match(typed);
        bool number = false;
        const double value = match.captured(1).replace(',', '.').toDouble(&number);
        if (!match.hasMatch() || !number || !(value > 0))
            wrong = tr("What a charge is worth needs a number and a unit, such as 42 km.");
        else
            now_.worth = value, now_.worthUnit = match.captured(2).trimmed().toStdString();
    }
    problem_->setText(wrong);
    keep_->setEnabled(wrong.isEmpty());
}

BatteryLife LifeDialog::life() const {
    BatteryLife out = now_;
    out.partOf = whole_->currentData().toLongLong();
    out.position = position_->value();
    out.boughtNew = new_->currentData().toInt();
    out.notes = notes_->toPlainText().trimmed().toStdString();
    return out;
}

}  // namespace nk
