declare module "@alpinejs/csp" {
  const Alpine: { data(name: string, make: () => object): void; start(): void };
  export default Alpine;
}
