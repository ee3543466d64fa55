"""What kernels are compiled for."""

from __future__ import annotations

import llvmlite.binding


def widest() -> str | None:
    """What the processor can do, with vectors as wide as it has: LLVM holds back half of 512 bits unless it is told not to. No result depends on
    that. None where there is nothing to say."""
    features = str(llvmlite.binding.get_host_cpu_features().flatten())
    return f"{features},-prefer-256-bit" if "+avx512f" in features.split(",") else None
