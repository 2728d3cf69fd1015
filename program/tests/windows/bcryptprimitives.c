/* The one function of bcryptprimitives.dll that Rust programs use, for a wine that lacks it. */
#include <windows.h>

BOOLEAN NTAPI SystemFunction036(PVOID, ULONG);

__declspec(dllexport) BOOL ProcessPrng(PBYTE data, SIZE_T length)
{
    return SystemFunction036(data, (ULONG) length);
}
