// A visitor of a variant from one function a type.
#pragma once

namespace anhinga {

template <class... F>
struct Each : F... {
    using F::operator()...;
};
template <class... F>
Each(F...) -> Each<F...>;

}  // namespace anhinga
