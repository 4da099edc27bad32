declare module '*?url&inline' {
  const url: string;
  export default url;
}
