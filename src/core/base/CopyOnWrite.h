// A value that is shared between copies until one of them is changed: for large, seldom changed parts of things that
// are copied often.
#pragma once

#include <memory>

namespace anhinga {

template <typename T>
class CopyOnWrite {
  public:
    const T& operator*() const { return value_ ? *value_ : untouched(); }
    const T* operator->() const { return &**this; }
    /// The value for changing; copies made before keep theirs.
    T& edit() {
        if (!value_ || value_.use_count() > 1) value_ = std::make_shared<T>(**this);
        return *value_;
    }
    CopyOnWrite& operator=(T value) {
        value_ = std::make_shared<T>(std::move(value));
        return *this;
    }
    bool operator==(const CopyOnWrite& o) const { return value_ == o.value_ || **this == *o; }

  private:
    static const T& untouched() {
        static const T value{};
        return value;
    }
    std::shared_ptr<T> value_;
};

}  // namespace anhinga
