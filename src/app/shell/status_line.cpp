#include "app/shell/status_line.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>

namespace nk {

StatusLine::StatusLine(QWidget* parent) : QWidget(parent) {
    setObjectName("statusLine");
    setAttribute(Qt::WA_StyledBackground);
    setFixedHeight(32);
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(20, 0, 14, 0);
    ruler_ = new QLabel(this);
    ruler_->setObjectName("ruler");
    ruler_->setAccessibleName(tr("Ruler"));
    pins_ = new QLabel(this);
    pins_->setObjectName("pins");
    pins_->setProperty("role", "muted");
    work_ = new QWidget(this);
    auto* work = new QHBoxLayout(work_);
    work->setContentsMargins(0, 0, 0, 0);
    task_ = new QLabel(work_);
    task_->setObjectName("task");
    progress_ = new QProgressBar(work_);
    progress_->setFixedWidth(140);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    auto* cancel = new QPushButton(tr("Cancel"), work_);
    cancel->setObjectName("cancelWork");
    cancel->setProperty("role", "link");
    work->addWidget(task_);
    work->addWidget(progress_);
    work->addWidget(cancel);
    line->addWidget(ruler_, 1);
    line->addWidget(pins_);
    line->addWidget(work_);
    work_->hide();
    connect(cancel, &QPushButton::clicked, this, &StatusLine::cancelRequested);
}

void StatusLine::setRuler(const QString& reading, const QString& pins) {
    ruler_->setText(reading);
    pins_->setText(pins);
}

void StatusLine::setTask(const QString& name) {
    task_->setText(name);
    work_->setVisible(!name.isEmpty());
    progress_->setValue(0);
}

void StatusLine::setProgress(double fraction) {
    progress_->setValue(static_cast<int>(1000 * fraction));
}

}  // namespace nk
