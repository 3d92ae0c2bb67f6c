import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { call, type Schemas } from "../../app/http";

export type TestBuild = Schemas["TestBuild"];
export type TestTitle = Schemas["TestTitle"];
export type TestDevice = Schemas["TestDevice"];
export type InstallPage = Schemas["InstallPage"];

export function useTesting() {
  return useQuery({ queryKey: ["testing"], queryFn: () => call<Schemas["Testing"]>("/testing"), refetchInterval: 15_000 });
}

export function useOwnDevices() {
  return useQuery({
    queryKey: ["testing", "devices"],
    queryFn: () => call<Schemas["TestDevices"]>("/testing/devices"),
    refetchInterval: 5_000,
  });
}

function at(title: string, channel: string) {
  return `/testing/titles/${title}/channels/${channel}`;
}

/** Where a build can be tested. */
export function atBuild(title: string, channel: string, build: string | number) {
  return `${at(title, channel)}/builds/${build}`;
}

export function useInstallPage(title: string, channel: string, build: string) {
  return useQuery({
    queryKey: ["testing", "install", title, channel, build],
    queryFn: () => call<InstallPage>(atBuild(title, channel, build)),
    refetchInterval: 15_000,
  });
}

/** An address that is good for a minute, and is opened at once. */
export function useDownload(title: string, channel: string, build: string) {
  return useMutation({
    mutationFn: () => call<Schemas["DownloadAddress"]>(`${atBuild(title, channel, build)}/address`, { method: "POST" }),
    onSuccess: ({ address }) => {
      const { pathname } = new URL(address);
      window.location.assign(pathname);
    },
  });
}

export function useRegistration(title: string, channel: string) {
  return useMutation({
    mutationFn: () => call<Schemas["RegistrationCode"]>(`${at(title, channel)}/registration`, { method: "POST" }),
  });
}

export function useRemoveDevice() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (device: string) => call<Schemas["TestDevices"]>(`/testing/devices/${device}`, { method: "DELETE" }),
    onSuccess: (now) => queries.setQueryData(["testing", "devices"], now),
  });
}
