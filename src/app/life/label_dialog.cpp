#include "app/life/label_dialog.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QSettings>
#include <QSpinBox>
#include <QVBoxLayout>

#include "app/theme/quantity_field.h"
#include "app/theme/word_label.h"

namespace nk {

namespace {

constexpr double LabelSheet::*kLengths[] = {&LabelSheet::width_mm,     &LabelSheet::height_mm,
                                            &LabelSheet::left_mm,      &LabelSheet::top_mm,
                                            &LabelSheet::gapAcross_mm, &LabelSheet::gapDown_mm};

}  // namespace

LabelDialog::LabelDialog(int labels, QWidget* parent) : QDialog(parent), labels_(labels) {
    setObjectName("labels");
    setWindowTitle(tr("Labels"));
    setMinimumWidth(460);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(18, 16, 18, 16);
    box->setSpacing(10);
    auto* form = new QFormLayout;
    form->setLabelAlignment(Qt::AlignRight | Qt::AlignVCenter);
    kind_ = new QComboBox(this);
    kind_->setObjectName("labelKind");
    kind_->addItem(tr("3 × 8 on A4, 70 × 36 mm"));
    kind_->addItem(tr("5 × 13 on A4, 38.1 × 21.2 mm"));
    kind_->addItem(tr("my own grid on A4"));
    form->addRow(tr("Sheet"), kind_);
    auto* grid = new QHBoxLayout;
    columns_ = new WholeField(this);
    columns_->setObjectName("labelColumns");
    columns_->setRange(1, 20);
    columns_->setSuffix(tr(" columns"));
    rows_ = new WholeField(this);
    rows_->setObjectName("labelRows");
    rows_->setRange(1, 50);
    rows_->setSuffix(tr(" rows"));
    grid->addWidget(columns_);
    grid->addWidget(rows_);
    form->addRow(tr("Grid"), grid);
    const QString names[] = {tr("Label width"),  tr("Label height"), tr("From the left edge"),
                             tr("From the top"), tr("Gap across"),   tr("Gap down")};
    for (const QString& name : names) {
        auto* length = new QuantityField(this);
        length->setObjectName(QString("labelLength-%1").arg(lengths_.size()));
        length->setRange(0, 297);
        length->setDecimals(2);
        length->setSuffix(" mm");
        form->addRow(name, length);
        lengths_.push_back(length);
        connect(length, &QDoubleSpinBox::valueChanged, this, &LabelDialog::tell);
    }
    first_ = new WholeField(this);
    first_->setObjectName("labelFirst");
    first_->setMinimum(1);
    form->addRow(tr("Begin at label"), first_);
    outlines_ = new QCheckBox(tr("a thin frame round each, to cut along"), this);
    outlines_->setObjectName("labelOutlines");
    form->addRow(QString(), outlines_);
    box->addLayout(form);
    words_ = wordLabel(this, "labelWords");
    words_->setMinimumHeight(36);
    box->addWidget(words_);
    auto* row = new QHBoxLayout;
    row->addStretch(1);
    auto* cancel = new QPushButton(tr("Cancel"), this);
    save_ = new QPushButton(tr("Save as PDF…"), this);
    save_->setObjectName("labelSave");
    save_->setProperty("role", "primary");
    save_->setDefault(true);
    row->addWidget(cancel);
    row->addWidget(save_);
    box->addLayout(row);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(save_, &QPushButton::clicked, this, [this] {
        QSettings settings;
        settings.setValue("labels/kind", kind_->currentIndex());
        settings.setValue("labels/columns", columns_->value());
        settings.setValue("labels/rows", rows_->value());
        for (std::size_t k = 0; k < lengths_.size(); ++k)
            settings.setValue(QString("labels/length-%1").arg(k), lengths_[k]->value());
        accept();
    });
    const auto choose = [this](int kind) {
        const bool own = kind == 2;
        LabelSheet s = kind == 1 ? LabelSheet::small() : LabelSheet::large();
        if (own) {
            const QSettings settings;
            s.columns = settings.value("labels/columns", s.columns).toInt();
            s.rows = settings.value("labels/rows", s.rows).toInt();
            for (std::size_t k = 0; k < lengths_.size(); ++k)
                s.*kLengths[k] =
                    settings.value(QString("labels/length-%1").arg(k), s.*kLengths[k]).toDouble();
        }
        columns_->setValue(s.columns);
        rows_->setValue(s.rows);
        columns_->setEnabled(own);
        rows_->setEnabled(own);
        for (std::size_t k = 0; k < lengths_.size(); ++k) {
            lengths_[k]->setValue(s.*kLengths[k]);
            lengths_[k]->setEnabled(own);
        }
        tell();
    };
    connect(kind_, &QComboBox::currentIndexChanged, this, choose);
    connect(columns_, &QSpinBox::valueChanged, this, &LabelDialog::tell);
    connect(rows_, &QSpinBox::valueChanged, this, &LabelDialog::tell);
    connect(first_, &QSpinBox::valueChanged, this, &LabelDialog::tell);
    kind_->setCurrentIndex(std::clamp(QSettings().value("labels/kind", 0).toInt(), 0, 2));
    choose(kind_->currentIndex());
}

LabelSheet LabelDialog::sheet() const {
    LabelSheet s;
    s.columns = columns_->value();
    s.rows = rows_->value();
    for (std::size_t k = 0; k < lengths_.size(); ++k) s.*kLengths[k] = lengths_[k]->value();
    return s;
}

int LabelDialog::first() const {
    return first_->value() - 1;
}

bool LabelDialog::outlines() const {
    return outlines_->isChecked();
}

void LabelDialog::tell() {
    const LabelSheet s = sheet();
    first_->setMaximum(s.perPage());
    const auto good = s.check();
    save_->setEnabled(good.has_value());
    const int pages = (first() + labels_ + s.perPage() - 1) / s.perPage();
    words_->setText(
        good ? tr("Labels: %1. Sheets: %2. Print at full size, without fitting to the page.")
                   .arg(labels_)
                   .arg(pages)
             : QString::fromStdString(good.error().what + " " + good.error().accepted));
}

}  // namespace nk
