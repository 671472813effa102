package sandbox

import (
	"fmt"
	"runtime"
	"unsafe"

	"golang.org/x/net/bpf"
	"golang.org/x/sys/unix"
)

// confine takes from this process, for good, every system call that a rehearsal has no use for: it can't open a file or
// a connection, start a program, or touch what it does not hold already (seccomp(2), filter mode, all threads). What is
// not on the list fails as if it were not permitted. It returns an error where the system can't do that.
func confine() error {
	arch, ok := map[string]uint32{"amd64": unix.AUDIT_ARCH_X86_64, "arm64": unix.AUDIT_ARCH_AARCH64}[runtime.GOARCH]
	if !ok {
		return fmt.Errorf("system calls of %s are not supported", runtime.GOARCH)
	}
	const (
		deny   = unix.SECCOMP_RET_ERRNO | uint32(unix.EPERM)
		allow  = unix.SECCOMP_RET_ALLOW
		number = 0  // where the call's number is (struct seccomp_data)
		which  = 4  // the architecture
		first  = 16 // the first argument's lower half
	)
	program := []bpf.Instruction{
		bpf.LoadAbsolute{Off: which, Size: 4},
		bpf.JumpIf{Cond: bpf.JumpEqual, Val: arch, SkipTrue: 1},
		bpf.RetConstant{Val: deny},
		bpf.LoadAbsolute{Off: number, Size: 4},
		// New threads are the runtime's; new processes are nobody's.
		bpf.JumpIf{Cond: bpf.JumpNotEqual, Val: unix.SYS_CLONE, SkipTrue: 4},
		bpf.LoadAbsolute{Off: first, Size: 4},
		bpf.JumpIf{Cond: bpf.JumpBitsSet, Val: unix.CLONE_THREAD, SkipTrue: 1},
		bpf.RetConstant{Val: deny},
		bpf.RetConstant{Val: allow},
	}
	// The C library asks for the newer call first, and takes the older one where that is not there.
	program = append(program, bpf.JumpIf{Cond: bpf.JumpNotEqual, Val: unix.SYS_CLONE3, SkipTrue: 1},
		bpf.RetConstant{Val: unix.SECCOMP_RET_ERRNO | uint32(unix.ENOSYS)})
	for _, call := range needed {
		program = append(program, bpf.JumpIf{Cond: bpf.JumpNotEqual, Val: call, SkipTrue: 1},
			bpf.RetConstant{Val: allow})
	}
	raw, err := bpf.Assemble(append(program, bpf.RetConstant{Val: deny}))
	if err != nil {
		return err
	}
	filters := make([]unix.SockFilter, len(raw))
	for i, r := range raw {
		filters[i] = unix.SockFilter{Code: r.Op, Jt: r.Jt, Jf: r.Jf, K: r.K}
	}
	prog := unix.SockFprog{Len: uint16(len(filters)), Filter: &filters[0]}
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	if err := unix.Prctl(unix.PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0); err != nil {
		return err
	}
	_, _, errno := unix.Syscall(unix.SYS_SECCOMP, unix.SECCOMP_SET_MODE_FILTER, unix.SECCOMP_FILTER_FLAG_TSYNC,
		uintptr(unsafe.Pointer(&prog)))
	runtime.KeepAlive(filters)
	if errno != 0 {
		return errno
	}
	return nil
}

// needed are the system calls by which a Go program computes, keeps time, and reads and writes what it holds.
var needed = []uint32{
	unix.SYS_READ, unix.SYS_WRITE, unix.SYS_CLOSE, unix.SYS_FSTAT, unix.SYS_FCNTL,
	unix.SYS_MMAP, unix.SYS_MUNMAP, unix.SYS_MPROTECT, unix.SYS_MADVISE, unix.SYS_MINCORE, unix.SYS_MREMAP,
	unix.SYS_FUTEX, unix.SYS_NANOSLEEP, unix.SYS_CLOCK_NANOSLEEP, unix.SYS_CLOCK_GETTIME, unix.SYS_GETTIMEOFDAY,
	unix.SYS_RT_SIGACTION, unix.SYS_RT_SIGPROCMASK, unix.SYS_RT_SIGRETURN, unix.SYS_SIGALTSTACK,
	unix.SYS_RESTART_SYSCALL,
	unix.SYS_SCHED_YIELD, unix.SYS_SCHED_GETAFFINITY, unix.SYS_GETPID, unix.SYS_GETTID, unix.SYS_TGKILL, unix.SYS_EXIT,
	unix.SYS_EXIT_GROUP,
	unix.SYS_EPOLL_CREATE1, unix.SYS_EPOLL_CTL, unix.SYS_EPOLL_PWAIT, unix.SYS_EVENTFD2, unix.SYS_PIPE2,
	unix.SYS_SET_ROBUST_LIST, unix.SYS_SET_TID_ADDRESS, unix.SYS_PRLIMIT64, unix.SYS_RSEQ, unix.SYS_GETRANDOM,
	unix.SYS_TIMER_CREATE, unix.SYS_TIMER_SETTIME, unix.SYS_TIMER_DELETE, unix.SYS_SETITIMER,
}
