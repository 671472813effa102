//go:build !unix

package change

const noFollow = 0
