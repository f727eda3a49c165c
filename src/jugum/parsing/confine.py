"""Taking a process's rights away, for good: what it opens next may be made to attack it.

Memory and file sizes by resource limits; who it is by giving root up; network, other programs and other processes by a
filter of system calls (seccomp, through Debian's libseccomp2, which `apt` itself stands on). Where the kernel refuses
the filter, the rest still holds and the process says so.
"""

from __future__ import annotations

import ctypes
import errno
import os
import resource
import signal
from pathlib import Path

_ALLOW, _REFUSE = 0x7FFF0000, 0x00050000 | errno.EPERM  # seccomp(2): actions of a filter
_UNEQUAL = 1  # SCMP_CMP_NE
NOBODY = 65534  # Debian's account without rights, also where no list of accounts has it
# What no parser needs: other machines, other processes, more rights.
NETWORK = ("socket", "socketpair", "connect", "bind", "listen", "accept", "accept4", "sendto", "sendmsg")
PROGRAMS = ("execve", "execveat")
PROCESSES = (
    "ptrace",
    "process_vm_readv",
    "process_vm_writev",
    "mount",
    "unshare",
    "setns",
    "bpf",
    "keyctl",
    "userfaultfd",
    "io_uring_setup",
    "perf_event_open",
)


def confine(*, megabytes: int, file_megabytes: int = 0, may_start_programs: bool = False) -> bool:
    """Limit this process: memory in MB of address space beyond what it has now, size of files it may write, no core
    dumps, no network (a process that may start programs keeps sockets of this machine, which they need to talk to
    themselves), and not root. Returns whether the filter of system calls holds."""
    _limit(resource.RLIMIT_AS, _address_space() + megabytes * 1_000_000)
    _limit(resource.RLIMIT_FSIZE, file_megabytes * 1_000_000)
    _limit(resource.RLIMIT_CORE, 0)
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)  # a file that grows too large is an error, not the end
    if os.geteuid() == 0:
        os.setgroups([])
        os.setgid(NOBODY)
        os.setuid(NOBODY)
    return _filter(may_start_programs)


def limit_cpu(seconds: int) -> None:
    """From now on, the process may use so many seconds of processor time; the kernel ends it after that (SIGXCPU)."""
    used = resource.getrusage(resource.RUSAGE_SELF)
    at_most = int(used.ru_utime + used.ru_stime) + 1 + seconds
    resource.setrlimit(resource.RLIMIT_CPU, (at_most, resource.getrlimit(resource.RLIMIT_CPU)[1]))


def _limit(what: int, most: int) -> None:
    hard = resource.getrlimit(what)[1]
    most = most if hard == resource.RLIM_INFINITY else min(most, hard)
    resource.setrlimit(what, (most, most))


def _address_space() -> int:
    """Bytes that this process has mapped."""
    return int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()


class _Compare(ctypes.Structure):
    """`struct scmp_arg_cmp` of libseccomp: an argument of a system call, compared."""

    _fields_ = (
        ("arg", ctypes.c_uint),
        ("op", ctypes.c_int),
        ("datum_a", ctypes.c_uint64),
        ("datum_b", ctypes.c_uint64),
    )


def _filter(may_start_programs: bool) -> bool:
    try:
        seccomp = ctypes.CDLL("libseccomp.so.2", use_errno=True)
    except OSError:
        return False
    seccomp.seccomp_init.restype = ctypes.c_void_p
    context = ctypes.c_void_p(seccomp.seccomp_init(ctypes.c_uint32(_ALLOW)))
    refused = PROCESSES if may_start_programs else (*PROCESSES, *NETWORK, *PROGRAMS)
    for name in refused:
        number = seccomp.seccomp_syscall_resolve_name(name.encode())
        if number >= 0:  # below nought: this machine has no such call
            seccomp.seccomp_rule_add_array(context, ctypes.c_uint32(_REFUSE), number, 0, None)
    if may_start_programs:
        not_local = _Compare(0, _UNEQUAL, 1, 0)  # AF_UNIX is 1 on every Linux
        number = seccomp.seccomp_syscall_resolve_name(b"socket")
        seccomp.seccomp_rule_add_array(context, ctypes.c_uint32(_REFUSE), number, 1, ctypes.byref(not_local))
    held: int = seccomp.seccomp_load(context)
    seccomp.seccomp_release(context)
    return held == 0
