/**
 * Files whose values are made up for a purpose: tests, fixtures, stories; and the settings of tools, which are read
 * where the application's own values need not be there.
 */
export function isTestFile(path: string): boolean {
  return /(?:^|\/)(?:tests?|__tests__|__mocks__|fixtures?|spec|specs|e2e|mocks?|stories|cypress|testdata)\/|\.(?:test|spec|stories|fixture|mock|bench|config)\.[^/]+$/.test(
    path,
  )
}
