declare const Alpine: any;
export default Alpine;
