# Made by ush from @WIRING@; what is changed here is lost. Unverified: it could not be run when it was written.
# Stamp of the wiring: @STAMP@
@BODY@
if ($env:USH_ENVIRONMENT) {
    $ushFirst = Join-Path $env:USH_ENVIRONMENT 'bin'
    $ushRest = @($env:PATH.Split([IO.Path]::PathSeparator) | Where-Object { $_ -cne $ushFirst })
    $env:PATH = (@($ushFirst) + $ushRest) -join [IO.Path]::PathSeparator
}
$env:@STAMP_NAME@ = '@STAMP@'
