// Package algebra does matrix work on flat row-major slices: products, LU, least squares,
// eigenvalues, singular values. It knows lengths and numbers, nothing of labels or of the
// notation. Lengths are the caller's to check.
//
// Whatever LAPACK and BLAS can do here is theirs, through gonum's blas64, lapack64 and mat.
// What is our own is so for one of three reasons: gonum's LAPACK has no complex numbers, a
// routine of it cannot be ended halfway, or it treats values in a way that a student would
// take for an error.
//
//   - Multiply is gonum's Gemm in bands of rows, with a look at the clock between bands. Small
//     products, and those with NaN or infinity on the right, are summed here: Gemm skips zeros
//     on the left, which would hide 0 * inf.
//   - eliminate (LU of reals) is LAPACK's Getrf, Trsm and Gemm for one panel of columns at a
//     time, because Getrf of the whole matrix cannot be ended. Inverse does the same with
//     Trtri and Trmm instead of Getri; Solve is Getrs, a band of right sides at a time.
//   - eliminateComplex is our own: no complex LU in gonum.
//   - reflector, orthogonal (Householder QR) and LeastSquares are our own, once for reals and
//     complex numbers: Geqrf and Gels are real only and cannot be ended, and matrices of
//     80,000 rows must be. Rows are taken in pieces that stay in the cache.
//   - SVD of a square real matrix is gonum's Gesvd, beside the clock, since it is at most 400
//     rows; a taller one is reduced to that by our QR. SVDComplex (Golub-Kahan
//     bidiagonalization) is our own: no complex SVD in gonum.
//   - Symmetric and General are gonum's Syev and Geev, beside the clock. Hermitian
//     (tridiagonalization) and GeneralComplex (Hessenberg form, shifted QR) are our own: none
//     for complex matrices in gonum.
//   - Norm is our own and not Dnrm2: its sum of squares is pairwise, as all sums of the
//     notation are, and it scales by powers of two alone, which is exact.
//
// Sources: Golub and Van Loan, Matrix Computations, 4th ed.; sections are named where they
// are used. `make bench` compares products, inverses and solutions with gonum called alone.
package algebra
