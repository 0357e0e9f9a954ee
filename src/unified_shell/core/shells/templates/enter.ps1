# Enters the environment @TITLE@ in this session when it is dot-sourced. To leave it again: ush_leave
# Unverified: it could not be run when it was written.
@BODY@
$env:USH_ENVIRONMENT = @PREFIX@
$env:PATH = (Join-Path $env:USH_ENVIRONMENT 'bin') + [IO.Path]::PathSeparator + $env:PATH
function global:ush_leave {
    $ushFirst = Join-Path $env:USH_ENVIRONMENT 'bin'
    $ushRest = @($env:PATH.Split([IO.Path]::PathSeparator) | Where-Object { $_ -cne $ushFirst })
    $env:PATH = $ushRest -join [IO.Path]::PathSeparator
    Remove-Item Env:USH_ENVIRONMENT
    Remove-Item Function:ush_leave
}
